import { ApiError } from "../api";
import { tr } from "../i18n";

/** Problems that are said in words before the rest is counted. */
const SAID = 2;

/** Why nothing was counted. */
export function uncounted(error: Error): string {
  if (!(error instanceof ApiError)) return tr("not counted");
  const problems = error.problem.errors ?? [];
  if (problems.length === 0) return error.problem.detail;
  const said = problems.slice(0, SAID).map((p) => p.message);
  return [
    ...said,
    problems.length > SAID ? tr("And {{problems}} more.", { problems: problems.length - SAID }) : "",
  ]
    .join(" ")
    .trim();
}
