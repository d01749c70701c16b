export { Rounds } from "./Rounds";
