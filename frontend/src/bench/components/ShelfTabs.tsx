import type { ReactNode } from "react";
import { tr } from "../../i18n";

export type Tab = "fields" | "column" | "file" | "checks";

const TABS: Record<Tab, string> = {
  fields: tr("Fields"),
  column: tr("This column"),
  file: tr("File"),
  checks: tr("Checks"),
};

interface Props {
  tab: Tab;
  onTab: (tab: Tab) => void;
  /** Whether something is wrong, or only worth a remark. */
  wrong: boolean;
  noted: boolean;
  children: ReactNode;
}

/** The tabs of the shelf, and what is in the open one. */
export function ShelfTabs({ tab, onTab, wrong, noted, children }: Props) {
  return (
    <>
      <div className="shelf-tabs" role="tablist" aria-label={tr("Shelf")}>
        {(Object.keys(TABS) as Tab[]).map((name) => (
          <button
            key={name}
            type="button"
            role="tab"
            id={`tab-${name}`}
            aria-selected={tab === name}
            aria-controls="shelf-panel"
            onClick={() => onTab(name)}
          >
            {TABS[name]}
            {name === "checks" && (wrong || noted) && (
              <span className={`dot ${wrong ? "wrong" : ""}`}>
                <span className="visually-hidden">{tr(": something speaks up")}</span>
              </span>
            )}
          </button>
        ))}
      </div>
      <div
        className="shelf-body"
        role="tabpanel"
        id="shelf-panel"
        aria-labelledby={`tab-${tab}`}
        tabIndex={0}
      >
        {children}
      </div>
    </>
  );
}
