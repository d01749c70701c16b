export { Bench } from "./Bench";
