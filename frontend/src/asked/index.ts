export { AskedDialog } from "./AskedDialog";
export { AskedText } from "./AskedText";
