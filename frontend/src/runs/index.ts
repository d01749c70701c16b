export { RunProgress } from "./RunProgress";
export { RunStatus } from "./RunStatus";
export { useStartRun } from "./useStartRun";
export { AnswerForm, PeriodInput, allAnswered, withDefaults } from "./AnswerForm";
export type { Answers } from "./AnswerForm";
export { RunDialog } from "./RunDialog";
export { RunNews } from "./RunNews";
export { Purpose } from "./Purpose";
export { Expected } from "./Expected";
