import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo, useReducer, useRef, useState } from "react";
import { Button } from "react-bootstrap";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { answer, api, useSourceOf } from "../api";
import type { FieldGroup, FieldInfo, Problem, RecordType, TemplateInfo, WayOut } from "../api";
import { AskedDialog } from "../asked";
import { Expected, RunDialog, useStartRun } from "../runs";

import { Icon, Trouble } from "../shared";
import { ChecksTab } from "./components/ChecksTab";
import { Dragging } from "./components/Dragging";
import { AboutDialog } from "./components/AboutDialog";
import { FieldShelf } from "./components/FieldShelf";
import { Elsewhere } from "./components/Elsewhere";
import { FileTab } from "./components/FileTab";
import { KeepingBanner } from "./components/Keeping";
import { Others } from "./components/Others";
import { HeldAgainst } from "./components/HeldAgainst";
import { Outcome } from "./components/Outcome";
import { OnlyMine } from "./components/OnlyMine";
import { PerUnit } from "./components/PerUnit";
import { Sentence } from "./components/Sentence";
import { BenchStrip } from "./components/BenchStrip";
import { ShelfTabs } from "./components/ShelfTabs";
import type { Tab } from "./components/ShelfTabs";
import { Sheet } from "./components/Sheet";
import { SheetActs } from "./components/SheetActs";
import { Tally } from "./components/Tally";
import { ThisColumn } from "./components/ThisColumn";
import { TracePanel } from "./components/TracePanel";
import type { Tracing } from "./components/TracePanel";
import { valueCondition } from "./components/NarrowPicker";
import { ExamplesDialog, KeysDialog, SaveAsNewDialog, SaveDialog } from "./components/dialogs";
import type { Examples } from "./components/dialogs";
import { Hint, useCurrentSource, useMay, useShell } from "../shell";
import { headingOf } from "./defaults";
import { useFields } from "./hooks/useFields";
import { useBenchKeys } from "./hooks/useBenchKeys";
import { useChecks } from "./hooks/useChecks";
import { useDraft } from "./hooks/useDraft";
import { useLook, useTally } from "./hooks/useLook";
import { newestKey } from "./newest";
import { EMPTY, reduce } from "./reducer";
import { groupedValue, ruleOf, waysOf } from "./rows";
import type { Document } from "./types";

/** Bytes that separators and the line end add to an average row. */
const ROW_OVERHEAD = 2;

/** The bench of one template. */
export function Bench() {
  const id = Number(useParams().id);
  const template = useQuery({
    queryKey: ["template", id],
    queryFn: () =>
      answer(api.GET("/api/v1/templates/{template_id}", { params: { path: { template_id: id } } })),
    // The bench holds the draft from here on; a fresh copy would fight with it.
    staleTime: Infinity,
    gcTime: 0,
  });
  useSourceOf(template.data?.source);
  if (!template.data) {
    return (
      <main className="body">
        <Trouble error={template.error} />
      </main>
    );
  }
  return <Workplace key={id} loaded={template.data} />;
}

function Workplace({ loaded }: { loaded: TemplateInfo }) {
  const { news, session } = useShell();
  const source = useCurrentSource();
  const client = useQueryClient();
  const mayDesign = useMay("design");
  const mayRun = useMay("run");
  const [state, dispatch] = useReducer(reduce, loaded.document as unknown as Document, (document) => ({
    ...EMPTY,
    document,
  }));
  const { document, selected } = state;
  const columns = useMemo(() => document.columns ?? [], [document.columns]);
  const [template, setTemplate] = useState(loaded);
  const { keeping, flush, overwrite, adopt } = useDraft(loaded, document, setTemplate);
  const go = useNavigate();
  const [params, setParams] = useSearchParams();
  const only = useMemo(() => keysIn(params.get("only")), [params]);
  const [tab, setTab] = useState<Tab>("fields");
  const [renaming, setRenaming] = useState<string | null>(null);
  const [announcement, announce] = useState("");
  const [dialog, setDialog] = useState<"save" | "new" | "keys" | "run" | "about" | "ask" | null>(null);
  const [tracing, setTracing] = useState<Tracing | null>(null);
  const [wanted, setWanted] = useState<{ key: string; at: number } | null>(null);
  const [examples, setExamples] = useState<Examples | null>(null);
  const [trouble, setTrouble] = useState<unknown>(null);
  const searchRef = useRef<HTMLInputElement>(null);

  const { start: fields, groups, byPath } = useFields(document);
  const used = useMemo(
    () => new Set(columns.flatMap((c) => ("field" in c.value ? [c.value.field] : []))),
    [columns],
  );

  const [elsewhere, setElsewhere] = useState("");
  const look = useLook(document, loaded.id, only ?? undefined, elsewhere);
  const tally = useTally(document, loaded.id, elsewhere);
  const checked = useChecks(document, loaded.id);
  const first = look.data?.pages[0];
  const last = look.data?.pages.at(-1);
  const rows = useMemo(() => look.data?.pages.flatMap((p) => p.rows) ?? [], [look.data]);
  const keys = useMemo(() => look.data?.pages.flatMap((p) => p.keys ?? []) ?? [], [look.data]);
  const marks = useMemo(() => look.data?.pages.flatMap((p) => p.marks ?? []) ?? [], [look.data]);
  const problems = first?.problems ?? [];
  const { fetchNextPage, isFetchingNextPage } = look;
  const onMore = useCallback(() => {
    if (!isFetchingNextPage) void fetchNextPage();
  }, [fetchNextPage, isFetchingNextPage]);
  const rowBytes = useMemo(() => averageBytes(rows), [rows]);

  const start = useStartRun();
  const run = start.data ? (news.runs[start.data.id] ?? start.data) : undefined;
  const asksOrPersonal = (document.asks ?? []).length > 0 || (first?.personal ?? []).length > 0;
  const startRun = async () => {
    if (!(await flush())) return;
    if (asksOrPersonal) setDialog("run");
    else start.mutate({ template_id: loaded.id, use: "draft" });
  };

  const tryNewest = async (about: RecordType) => {
    if (!(await flush())) return;
    try {
      const key = await newestKey(document, about);
      setTrouble(key ? null : "No record fits, so there is none to try it on.");
      if (key) start.mutate({ template_id: loaded.id, use: "draft", only: [key] });
    } catch (error) {
      setTrouble(error);
    }
  };

  const addField = (field: FieldInfo, group: FieldGroup | undefined, at?: number) => {
    const heading = headingOf(field, group?.path ? group.label : "");
    if (ruleOf(document).per === "group") {
      const made = groupedValue(document, field);
      dispatch({ type: "addValue", ...made, at });
      announce(`${made.heading} added as column ${(at ?? columns.length) + 1}`);
      return;
    }
    dispatch({ type: "addColumn", field: field.path, heading, at });
    announce(`${heading} added as column ${(at ?? columns.length) + 1}`);
  };
  const addMany = (fresh: { field: FieldInfo; group: FieldGroup }[]) => {
    dispatch({
      type: "addColumns",
      columns: fresh.map(({ field, group }) =>
        ruleOf(document).per === "group"
          ? groupedValue(document, field)
          : { value: { field: field.path }, heading: headingOf(field, group.path ? group.label : "") },
      ),
    });
    announce(`${fresh.length} columns added`);
  };
  const showExample = async (column: string, row: number, text: string) => {
    const heading = columns.find((c) => c.id === column)?.heading ?? "";
    try {
      const body = {
        document: document as unknown as Record<string, never>,
        column,
        row,
        text,
        template_id: loaded.id,
      };
      const found = await answer(api.POST("/api/v1/design/format", { body }));
      setTrouble(null);
      if (found.shows.length === 1) {
        dispatch({ type: "setShow", id: column, show: found.shows[0] });
        announce(`${heading} is now shown like ${text}`);
      } else setExamples({ column, heading, text, found: found.shows, others: found.others });
    } catch (error) {
      setTrouble(error);
    }
  };

  const keepBoth = async () => {
    try {
      const copy = { ...document, name: `${document.name}, my copy` } as unknown as Record<string, never>;
      const body = { everyday: false, free_name: true, document: copy };
      const made = await answer(api.POST("/api/v1/templates", { body }));
      await adopt();
      void client.invalidateQueries({ queryKey: ["templates"] });
      void go(`/templates/${made.id}`);
    } catch (error) {
      setTrouble(error);
    }
  };

  /** What stood here has become a template of its own: this one goes back to what was saved of it. */
  const backToSaved = async (made: TemplateInfo) => {
    setDialog(null);
    try {
      const kept = await flush();
      const path = { template_id: loaded.id };
      if (kept?.version) {
        const saved = await answer(
          api.GET("/api/v1/templates/{template_id}/versions/{number}", {
            params: { path: { ...path, number: kept.version } },
          }),
        );
        await answer(
          api.PUT("/api/v1/templates/{template_id}/draft", {
            params: { path, header: { "If-Match": `"${kept.revision}"` } },
            body: saved.document,
          }),
        );
      }
      void client.invalidateQueries({ queryKey: ["templates"] });
      client.removeQueries({ queryKey: ["template", loaded.id] });
      void go(`/templates/${made.id}`);
    } catch (error) {
      setTrouble(error);
    }
  };

  const showProblem = (problem: Problem) => {
    const at = /^columns\[(\d+)\]/.exec(problem.place);
    const column = at && columns[Number(at[1])];
    if (column) dispatch({ type: "select", ids: [column.id] });
    setTracing(null);
    setTab(problem.place.startsWith("output") ? "file" : column ? "column" : "fields");
    if (problem.place.startsWith("rows")) setWanted({ key: "rows", at: Date.now() });
    else if (problem.place.startsWith("filter")) setWanted({ key: problem.place, at: Date.now() });
  };

  useBenchKeys({
    undo: () => dispatch({ type: "undo" }),
    redo: () => dispatch({ type: "redo" }),
    save: () => mayDesign && setDialog("save"),
    run: () => mayRun && void startRun(),
    keys: () => setDialog("keys"),
    trace: () => setTracing({ record: "" }),
    ask: () => mayDesign && setDialog("ask"),
    narrow: () => mayDesign && setWanted({ key: "add", at: Date.now() }),
    rows: () => mayDesign && setWanted({ key: "rows", at: Date.now() }),
    search: () => {
      setTracing(null);
      setTab("fields");
      requestAnimationFrame(() => searchRef.current?.focus());
    },
  });

  const selectedColumn = columns.find((c) => c.id === selected.at(-1));
  const selectedField =
    selectedColumn && "field" in selectedColumn.value ? byPath.get(selectedColumn.value.field) : undefined;
  const selectedPlace = first?.columns.findIndex((c) => c.id === selectedColumn?.id) ?? -1;
  const cure = (way: WayOut) => dispatch({ type: "put", place: way.place, value: way.value });

  return (
    <>
      <BenchStrip
        document={document}
        template={template}
        keeping={keeping}
        mayUndo={state.past.length > 0}
        mayRedo={state.future.length > 0}
        busy={problems.length > 0 || start.isPending}
        dispatch={dispatch}
        onDialog={setDialog}
        onTrace={() => setTracing({ record: "" })}
        onRun={() => void startRun()}
      />
      <KeepingBanner
        keeping={keeping}
        onOverwrite={() => void overwrite()}
        onTheirs={() =>
          void adopt().then((theirs) => {
            if (theirs) dispatch({ type: "edit", document: theirs.document as unknown as Document });
          })
        }
        onBoth={() => void keepBoth()}
      />
      <Elsewhere own={loaded.source} tried={elsewhere} onTry={setElsewhere} />
      {only && (
        <div className="banner">
          <Icon name="eye" /> Tried on {only.length === 1 ? "one record" : `${only.length} records`} only; a
          run takes all.
          <Button variant="quiet" size="sm" onClick={() => setParams({}, { replace: true })}>
            Look at all
          </Button>
        </div>
      )}
      {(start.error ?? trouble) !== null && (
        <div className="banner">
          <Trouble error={start.error ?? trouble} />
          {start.error === null && (
            <Button variant="quiet" size="sm" onClick={() => setTrouble(null)}>
              Got it
            </Button>
          )}
        </div>
      )}
      <Sentence
        parts={first?.sentence ?? []}
        document={document}
        start={fields.data}
        groups={groups}
        problems={problems}
        editable={mayDesign}
        dispatch={dispatch}
        wanted={wanted}
        sheet={first?.columns}
        onFold={(n) => {
          const column = columns[n];
          if (column) dispatch({ type: "select", ids: [column.id] });
          setTracing(null);
          setTab("column");
        }}
      />
      <Tally
        counts={tally.data}
        error={tally.error}
        counting={tally.isFetching}
        columns={(first?.columns ?? columns).length}
        rowBytes={rowBytes}
        source={session.sources.find((s) => s.key === elsewhere)?.title ?? source?.title ?? ""}
        onLeftOut={(place) => setTracing({ leftOut: place })}
        onLeaveOut={(node) => dispatch({ type: "addNarrowing", node })}
        perUnit={
          <>
            {columns.length > 0 && (
              <PerUnit
                document={document}
                templateId={loaded.id}
                groups={groups}
                onWiden={
                  mayDesign ? (widen) => dispatch({ type: "edit", document: widen(document) }) : undefined
                }
              />
            )}
            {mayDesign && (
              <OnlyMine
                document={document}
                path={fields.data?.record_type.belongs_to}
                onDocument={(next) => dispatch({ type: "edit", document: next })}
              />
            )}
          </>
        }
      />
      <Dragging
        columns={columns.map((c) => c.id)}
        headings={new Map(columns.map((c) => [c.id, c.heading]))}
        fieldOf={(p) => byPath.get(p)}
        onMove={(id, to) => {
          dispatch({ type: "moveColumn", id, to });
          announce(`moved to column ${to + 1} of ${columns.length}`);
        }}
        onPlace={addField}
      >
        {(dropBefore) => (
          <div className="work">
            <div className="sheet-side">
              {look.error && (
                <div className="px-3 pt-2">
                  <Trouble error={look.error} />
                </div>
              )}
              {look.inAnyOrder && (
                <div className="px-3 py-1 soft" role="status">
                  Any rows for now: the source is still putting them in order.
                </div>
              )}
              {columns.length === 0 && (
                <div className="px-3 pt-3 soft">
                  The sheet is empty. Double-click a field on the shelf, press Enter on it, or drag it here.
                  {mayDesign && (fields.data?.groups[0]?.fields.some((f) => f.everyday) ?? false) && (
                    <>
                      {" "}
                      <button
                        type="button"
                        className="btn-link-plain"
                        onClick={() => {
                          const group = groups[0]!;
                          addMany(
                            group.fields
                              .filter((f) => f.everyday && !f.personal)
                              .map((field) => ({ field, group })),
                          );
                        }}
                      >
                        Or start with the everyday fields.
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
            <aside className="shelf" aria-label="Shelf">
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
                    {tab === "fields" && (
                      <>
                        <Trouble error={fields.error} />
                        <Hint name="shelf">
                          Double-click a field to add it, or drag it to its place. Type{" "}
                          <b>a value you know</b> above, such as a tag, to find where it is kept.
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
                            announce(`${heading} added as column ${columns.length + 1}`);
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
                    )}
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
          </div>
        )}
      </Dragging>
      <Outcome
        format={document.output?.format ?? "csv"}
        look={first}
        problems={problems}
        run={run}
        checks={(document.checks ?? []).length ? (checked.data?.checks ?? []) : []}
        expected={
          <Expected
            templateId={loaded.id}
            rows={tally.data?.steps.at(-1)?.rows}
            format={document.output?.format ?? "csv"}
            lead="· "
          />
        }
        onShow={showProblem}
        onCure={mayDesign ? cure : undefined}
        onChecks={() => {
          setTracing(null);
          setTab("checks");
        }}
      >
        <HeldAgainst
          document={document}
          onFill={
            mayDesign
              ? (value, heading, show) => dispatch({ type: "addValue", value, heading, show })
              : undefined
          }
        />
      </Outcome>
      <div className="visually-hidden" aria-live="assertive">
        {announcement}
      </div>
      {dialog === "save" && (
        <SaveDialog
          template={template}
          flush={flush}
          onClose={() => setDialog(null)}
          onSaved={(saved) => {
            setTemplate(saved);
            void client.invalidateQueries({ queryKey: ["templates"] });
          }}
          onSaveAsNew={() => setDialog("new")}
        />
      )}
      {dialog === "new" && (
        <SaveAsNewDialog
          document={document}
          template={template}
          onClose={() => setDialog(null)}
          onMade={(made) => void backToSaved(made)}
        />
      )}
      {dialog === "run" && (
        <RunDialog
          templateId={loaded.id}
          use="draft"
          onClose={() => setDialog(null)}
          onRun={(answers, purpose) => {
            setDialog(null);
            start.mutate({ template_id: loaded.id, use: "draft", answers, purpose });
          }}
        />
      )}
      {examples && (
        <ExamplesDialog
          examples={examples}
          onClose={() => setExamples(null)}
          onTake={(show) => {
            dispatch({ type: "setShow", id: examples.column, show });
            setExamples(null);
          }}
        />
      )}
      {dialog === "ask" && (
        <AskedDialog
          document={document as unknown as Record<string, unknown>}
          onClose={() => setDialog(null)}
          onTake={(next) => {
            setDialog(null);
            dispatch({ type: "edit", document: next as unknown as Document });
          }}
        />
      )}
      {dialog === "about" && (
        <AboutDialog
          document={document}
          onClose={() => setDialog(null)}
          onDone={(change) => {
            setDialog(null);
            dispatch({ type: "edit", document: { ...document, ...change } });
          }}
        />
      )}
      {dialog === "keys" && <KeysDialog onClose={() => setDialog(null)} />}
    </>
  );
}

/** Keys of records in the address, as a JSON list of lists of texts. */
function keysIn(text: string | null): string[][] | null {
  if (!text) return null;
  try {
    const keys: unknown = JSON.parse(text);
    return Array.isArray(keys) ? keys.map((k) => (Array.isArray(k) ? k.map(String) : [String(k)])) : null;
  } catch {
    return null;
  }
}

function averageBytes(rows: (string | null)[][]): number {
  if (rows.length === 0) return 0;
  const seen = rows.slice(0, 100);
  const bytes = seen.reduce(
    (n, row) => n + row.reduce((m, cell) => m + (cell?.length ?? 0) + 1, ROW_OVERHEAD),
    0,
  );
  return bytes / seen.length;
}
