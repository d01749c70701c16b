import { Icon } from "../shared";
import type { Trying } from "./useTrying";
import { tr } from "../i18n";

/** What happened at each step of a trial, as it happens. */
export function Steps({ trying }: { trying: Pick<Trying<object>, "steps" | "busy"> }) {
  return (
    <ul className="source-steps" aria-live="polite" aria-busy={trying.busy}>
      {trying.steps.map((step) => (
        <li key={step.name} data-mark={step.mark}>
          <Icon name={step.mark === "good" ? "check" : "exclamation"} />
          <strong>{step.name}</strong>
          <span>{step.says}</span>
        </li>
      ))}
      {trying.busy && <li className="soft">{tr("trying…")}</li>}
    </ul>
  );
}
