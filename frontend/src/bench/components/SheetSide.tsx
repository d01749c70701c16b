import { Trouble } from "../../shared";
import type { BenchState } from "../hooks/useBench";
import { Sheet } from "./Sheet";
import { SheetActs } from "./SheetActs";
import { tr } from "../../i18n";

/** The sheet, and what stands above and below it. */
export function SheetSide({ bench, dropBefore }: { bench: BenchState; dropBefore: string | null }) {
  const {
    mayDesign,
    dispatch,
    selected,
    columns,
    renaming,
    setRenaming,
    announce,
    setTracing,
    fields,
    groups,
    look,
    first,
    last,
    rows,
    keys,
    marks,
    onMore,
    addMany,
    showExample,
  } = bench;
  return (
    <div className="sheet-side">
      {look.error && (
        <div className="px-3 pt-2">
          <Trouble error={look.error} />
        </div>
      )}
      {look.inAnyOrder && (
        <div className="px-3 py-1 soft" role="status">
          {tr("Any rows for now: the source is still putting them in order.")}
        </div>
      )}
      {columns.length === 0 && (
        <div className="px-3 pt-3 soft">
          {tr("The sheet is empty. Double-click a field on the shelf, press Enter on it, or drag it here.")}
          {mayDesign && (fields.data?.groups[0]?.fields.some((f) => f.everyday) ?? false) && (
            <>
              {" "}
              <button
                type="button"
                className="btn-link-plain"
                onClick={() => {
                  const group = groups[0]!;
                  addMany(
                    group.fields.filter((f) => f.everyday && !f.personal).map((field) => ({ field, group })),
                  );
                }}
              >
                {tr("Or start with the everyday fields.")}
              </button>
            </>
          )}
        </div>
      )}
      <Sheet
        columns={columns}
        info={first?.columns ?? []}
        rows={rows}
        marks={marks}
        more={last?.more ?? false}
        onMore={onMore}
        selected={selected}
        renaming={renaming}
        onRename={setRenaming}
        editable={mayDesign}
        dropBefore={dropBefore}
        dispatch={dispatch}
        announce={announce}
        onTrace={
          keys.length
            ? (row) => {
                const key = keys[row];
                if (key?.every((k) => k !== null))
                  setTracing({ record: key.join(", "), key: key as string[] });
              }
            : undefined
        }
        onExample={mayDesign ? (column, row, text) => void showExample(column, row, text) : undefined}
      />
      {mayDesign && columns.length > 0 && (
        <SheetActs selected={selected} columns={columns.map((c) => c.id)} dispatch={dispatch} />
      )}
    </div>
  );
}
