import { Trouble } from "../../shared";
import { Hint } from "../../shell";
import type { BenchState } from "../hooks/useBench";
import { ruleOf, waysOf } from "../../document/rows";
import { ChecksTab } from "./ChecksTab";
import { FieldShelf } from "./FieldShelf";
import { FileTab } from "./FileTab";
import { valueCondition } from "../../document/components/NarrowPicker";
import { Others } from "./Others";
import { ShelfTabs } from "./ShelfTabs";
import { ThisColumn } from "./ThisColumn";
import { TracePanel } from "./TracePanel";
import { tr } from "../../i18n";

/** The shelf beside the sheet: the trace of a record, or what its tabs hold. */
export function BenchShelf({ bench }: { bench: BenchState }) {
  const {
    loaded,
    mayDesign,
    mayRun,
    dispatch,
    document,
    tab,
    setTab,
    tracing,
    setTracing,
    fields,
    groups,
    byPath,
    tally,
    first,
    rows,
    problems,
    asksOrPersonal,
    tryNewest,
    addField,
    showProblem,
    selectedColumn,
    selectedField,
    selectedPlace,
    cure,
  } = bench;
  return (
    <aside className="shelf" aria-label={tr("Shelf")}>
      {tracing ? (
        <TracePanel
          document={document}
          templateId={loaded.id}
          tracing={tracing}
          counts={tally.data}
          editable={mayDesign}
          onTracing={setTracing}
          onEdit={(next) => dispatch({ type: "edit", document: next })}
          onClose={() => setTracing(null)}
        />
      ) : (
        <>
          <ShelfTabs
            tab={tab}
            onTab={setTab}
            wrong={problems.length > 0}
            noted={(first?.notes.length ?? 0) > 0}
          >
            {tab === "fields" && <FieldsTab bench={bench} />}
            {tab === "column" && (
              <ThisColumn
                document={document}
                column={selectedColumn}
                field={selectedField?.field}
                group={selectedField?.group}
                groups={groups}
                start={fields.data}
                sheet={first?.columns ?? []}
                rows={rows}
                place={selectedPlace}
                problems={problems}
                editable={mayDesign}
                dispatch={dispatch}
                onNarrow={(field, value) =>
                  dispatch({ type: "addNarrowing", node: valueCondition(field, value) })
                }
              />
            )}
            {tab === "file" && (
              <FileTab
                document={document}
                look={first}
                templateId={loaded.id}
                problems={problems}
                groups={groups}
                ways={waysOf(document, fields.data)}
                editable={mayDesign}
                dispatch={dispatch}
              />
            )}
            {tab === "checks" && (
              <ChecksTab
                document={document}
                templateId={loaded.id}
                look={first}
                problems={problems}
                onChecks={(checks) =>
                  dispatch({
                    type: "edit",
                    document: { ...document, checks: checks.length ? checks : undefined },
                    touch: "checks",
                  })
                }
                recordType={fields.data?.record_type}
                byPath={byPath}
                many={fields.data?.many ?? []}
                editable={mayDesign}
                onShow={showProblem}
                onCure={cure}
                onAdd={(field, group) => addField(field, group, 0)}
                onTry={
                  mayRun && problems.length === 0 && !asksOrPersonal && fields.data
                    ? () => void tryNewest(fields.data.record_type)
                    : undefined
                }
              />
            )}
          </ShelfTabs>
        </>
      )}
    </aside>
  );
}

/** The fields that can be added, and what else can stand in a column. */
function FieldsTab({ bench }: { bench: BenchState }) {
  const {
    mayDesign,
    dispatch,
    document,
    columns,
    setTab,
    announce,
    searchRef,
    fields,
    groups,
    used,
    addField,
    addMany,
  } = bench;
  return (
    <>
      <Trouble error={fields.error} />
      <Hint name="shelf">
        {tr("Double-click a field to add it, or drag it to its place. Type")} <b>{tr("a value you know")}</b>{" "}
        {tr("above, such as a tag, to find where it is kept.")}
      </Hint>
      <FieldShelf
        document={document}
        start={fields.data}
        groups={groups}
        used={used}
        loading={fields.isPending}
        editable={mayDesign}
        searchRef={searchRef}
        onAdd={(field, group) => addField(field, group)}
        onAddMany={addMany}
        ways={waysOf(document, fields.data)}
        onFold={(value, heading) => {
          dispatch({ type: "addValue", value, heading });
          announce(tr("{{heading}} added as column {{columns}}", { heading, columns: columns.length + 1 }));
        }}
        end={
          mayDesign && (
            <Others
              grouped={ruleOf(document).per === "group"}
              onAdd={(act) => {
                dispatch(act);
                if (act.type !== "addValue" || "formula" in act.value) setTab("column");
              }}
            />
          )
        }
      />
    </>
  );
}
