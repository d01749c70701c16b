export { RecordPage } from "./RecordPage";
export { Records } from "./Records";
