export { Ledger } from "./Ledger";
export { RunPage } from "./RunPage";
export { RunProgress } from "./RunProgress";
export { RunStatus } from "./RunStatus";
export { useStartRun } from "./useStartRun";
