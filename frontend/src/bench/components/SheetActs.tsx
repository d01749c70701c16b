import type { Action } from "../../document/reducer";
import { tr } from "../../i18n";

/** What can be done with the columns selected, or with all of them. */
export function SheetActs({
  selected,
  columns,
  dispatch,
}: {
  selected: string[];
  columns: string[];
  dispatch: (action: Action) => void;
}) {
  const several = selected.length > 1;
  const acts: [string, Action][] = several
    ? [
        [tr("move left"), { type: "moveColumns", ids: selected, by: -1 }],
        [tr("move right"), { type: "moveColumns", ids: selected, by: 1 }],
        ["copy", { type: "copyColumns", ids: selected }],
        ["remove", { type: "removeColumns", ids: selected }],
      ]
    : [
        [tr("select all columns"), { type: "select", ids: columns }],
        [tr("clear all columns"), { type: "removeColumns", ids: columns }],
      ];
  return (
    <div className="sheet-acts" role="toolbar" aria-label={tr("Columns")}>
      {several && <span className="soft">{tr("{{selected}} columns:", { selected: selected.length })}</span>}
      {acts.map(([words, action]) => (
        <button key={words} type="button" className="btn-link-plain" onClick={() => dispatch(action)}>
          {words}
        </button>
      ))}
    </div>
  );
}
