import type { ReactNode } from "react";
import { useHint, usePreferences } from "./preferences";
import { tr } from "../i18n";

/** A hint for the first visit. It can be put away, alone or with all others. */
export function Hint({ name, children }: { name: string; children: ReactNode }) {
  const [shown, putAway] = useHint(name);
  const { change } = usePreferences();
  if (!shown) return null;
  return (
    <div className="hint" role="note">
      {children}
      <div className="hint-end">
        <button type="button" className="btn-link-plain" onClick={putAway}>
          {tr("Got it")}
        </button>
        <button type="button" className="btn-link-plain soft" onClick={() => change({ hints: false })}>
          {tr("Turn hints off")}
        </button>
      </div>
    </div>
  );
}
