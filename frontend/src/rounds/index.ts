export { RoundPage } from "./RoundPage";
export { Rounds } from "./Rounds";
