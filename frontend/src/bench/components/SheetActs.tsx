import type { Action } from "../reducer";

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
        ["move left", { type: "moveColumns", ids: selected, by: -1 }],
        ["move right", { type: "moveColumns", ids: selected, by: 1 }],
        ["copy", { type: "copyColumns", ids: selected }],
        ["remove", { type: "removeColumns", ids: selected }],
      ]
    : [
        ["select all columns", { type: "select", ids: columns }],
        ["clear all columns", { type: "removeColumns", ids: columns }],
      ];
  return (
    <div className="sheet-acts" role="toolbar" aria-label="Columns">
      {several && <span className="soft">{selected.length} columns:</span>}
      {acts.map(([words, action]) => (
        <button key={words} type="button" className="btn-link-plain" onClick={() => dispatch(action)}>
          {words}
        </button>
      ))}
    </div>
  );
}
