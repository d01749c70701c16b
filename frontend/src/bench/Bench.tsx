import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo, useReducer, useRef, useState } from "react";
import { Button } from "react-bootstrap";
import { Link, useParams } from "react-router";
import { answer, api } from "../api";
import type { FieldGroup, FieldInfo, Problem, TemplateInfo } from "../api";
import { useStartRun } from "../runs";
import { useMay, useShell } from "../shell";
import { Icon, Trouble, shortMoment } from "../shared";
import { Dragging } from "./components/Dragging";
import { FieldShelf } from "./components/FieldShelf";
import { FileTab } from "./components/FileTab";
import { Outcome } from "./components/Outcome";
import { Sentence } from "./components/Sentence";
import { Sheet } from "./components/Sheet";
import { Tally } from "./components/Tally";
import { ThisColumn } from "./components/ThisColumn";
import { Title } from "./components/Title";
import { KeysDialog, SaveDialog } from "./components/dialogs";
import { headingOf } from "./defaults";
import { useBenchKeys } from "./hooks/useBenchKeys";
import { useDraft } from "./hooks/useDraft";
import type { Keeping } from "./hooks/useDraft";
import { useLook, useTally } from "./hooks/useLook";
import { EMPTY, reduce } from "./reducer";
import type { Document } from "./types";

/** Bytes that separators and the line end add to an average row. */
const ROW_OVERHEAD = 2;

type Tab = "fields" | "column" | "file";

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
  const { session, news } = useShell();
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
  const { keeping, flush, overwrite } = useDraft(loaded, document, setTemplate);
  const [tab, setTab] = useState<Tab>("fields");
  const [renaming, setRenaming] = useState<string | null>(null);
  const [announcement, announce] = useState("");
  const [dialog, setDialog] = useState<"save" | "keys" | null>(null);
  const searchRef = useRef<HTMLInputElement>(null);

  const fields = useQuery({
    queryKey: ["record-type", document.records],
    queryFn: () =>
      answer(api.GET("/api/v1/record-types/{name}", { params: { path: { name: document.records } } })),
    staleTime: 300_000,
  });
  const groups = useMemo(() => fields.data?.groups ?? [], [fields.data]);
  const byPath = useMemo(
    () => new Map(groups.flatMap((g) => g.fields.map((f) => [f.path, { field: f, group: g }] as const))),
    [groups],
  );
  const used = useMemo(
    () => new Set(columns.flatMap((c) => ("field" in c.value ? [c.value.field] : []))),
    [columns],
  );

  const look = useLook(document);
  const tally = useTally(document);
  const first = look.data?.pages[0];
  const last = look.data?.pages.at(-1);
  const rows = useMemo(() => look.data?.pages.flatMap((p) => p.rows) ?? [], [look.data]);
  const problems = first?.problems ?? [];
  const { fetchNextPage, isFetchingNextPage } = look;
  const onMore = useCallback(() => {
    if (!isFetchingNextPage) void fetchNextPage();
  }, [fetchNextPage, isFetchingNextPage]);
  const rowBytes = useMemo(() => averageBytes(rows), [rows]);

  const start = useStartRun();
  const run = start.data ? (news.runs[start.data.id] ?? start.data) : undefined;
  const ask = useCallback(async () => {
    if (await flush()) start.mutate({ template_id: loaded.id, use: "draft" });
  }, [flush, loaded.id, start]);

  const addField = useCallback(
    (field: FieldInfo, group: FieldGroup | undefined, at?: number) => {
      const heading = headingOf(field, group?.path ? group.label : "");
      dispatch({ type: "addColumn", field: field.path, heading, at });
      announce(`${heading} added as column ${(at ?? columns.length) + 1}`);
    },
    [columns.length],
  );

  const showProblem = (problem: Problem) => {
    const at = /^columns\[(\d+)\]/.exec(problem.place);
    const column = at && columns[Number(at[1])];
    if (column) dispatch({ type: "select", ids: [column.id] });
    setTab(problem.place.startsWith("output") ? "file" : column ? "column" : "fields");
  };

  useBenchKeys({
    undo: () => dispatch({ type: "undo" }),
    redo: () => dispatch({ type: "redo" }),
    save: () => mayDesign && setDialog("save"),
    run: () => mayRun && void ask(),
    keys: () => setDialog("keys"),
    search: () => {
      setTab("fields");
      requestAnimationFrame(() => searchRef.current?.focus());
    },
  });

  const selectedColumn = columns.find((c) => c.id === selected.at(-1));
  const selectedField =
    selectedColumn && "field" in selectedColumn.value
      ? byPath.get(selectedColumn.value.field)?.field
      : undefined;

  return (
    <>
      <div className="strip">
        <Link to="/templates" aria-label="Back to the templates">
          <Icon name="chevronLeft" />
        </Link>
        <Title
          name={document.name}
          editable={mayDesign}
          onChange={(name) => dispatch({ type: "rename", name })}
        />
        <span className="tag" role="status">
          {template.version ? `version ${template.version}` : "never saved"}
          {keptWords(keeping, template)}
        </span>
        {session.environment === "practice" && (
          <span className="tag practice">
            <Icon name="cone" /> practice data
          </span>
        )}
        <span className="fill" />
        <Button variant="quiet" aria-label="Keys" onClick={() => setDialog("keys")}>
          <Icon name="question" />
        </Button>
        {mayDesign && (
          <>
            <Button
              variant="quiet"
              aria-label="Undo"
              disabled={state.past.length === 0}
              onClick={() => dispatch({ type: "undo" })}
            >
              <Icon name="arrowCounterclockwise" />
            </Button>
            <Button
              variant="quiet"
              aria-label="Redo"
              disabled={state.future.length === 0}
              onClick={() => dispatch({ type: "redo" })}
            >
              <Icon name="arrowClockwise" />
            </Button>
            <Button variant="quiet" onClick={() => setDialog("save")}>
              Save
            </Button>
          </>
        )}
        {mayRun && (
          <Button disabled={problems.length > 0 || start.isPending} onClick={() => void ask()}>
            <Icon name="play" /> Run
          </Button>
        )}
      </div>
      <KeepingBanner keeping={keeping} onOverwrite={() => void overwrite()} />
      {start.error && (
        <div className="banner">
          <Trouble error={start.error} />
        </div>
      )}
      <Sentence
        parts={first?.sentence ?? []}
        document={document}
        recordType={fields.data?.record_type}
        groups={groups}
        problems={problems}
        editable={mayDesign}
        dispatch={dispatch}
      />
      <Tally
        counts={tally.data}
        error={tally.error}
        counting={tally.isFetching}
        columns={columns.length}
        rowBytes={rowBytes}
        source={session.source}
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
              {columns.length === 0 && (
                <div className="px-3 pt-3 soft">
                  The sheet is empty. Double-click a field on the shelf, press Enter on it, or drag it here.
                </div>
              )}
              <Sheet
                columns={columns}
                info={first?.columns ?? []}
                rows={rows}
                more={last?.more ?? false}
                onMore={onMore}
                selected={selected}
                renaming={renaming}
                onRename={setRenaming}
                editable={mayDesign}
                dropBefore={dropBefore}
                dispatch={dispatch}
                announce={announce}
              />
            </div>
            <aside className="shelf" aria-label="Shelf">
              <div className="shelf-tabs" role="tablist" aria-label="Shelf">
                {(["fields", "column", "file"] as const).map((name) => (
                  <button
                    key={name}
                    type="button"
                    role="tab"
                    id={`tab-${name}`}
                    aria-selected={tab === name}
                    aria-controls="shelf-panel"
                    onClick={() => setTab(name)}
                  >
                    {{ fields: "Fields", column: "This column", file: "File" }[name]}
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
                {tab === "fields" && (
                  <>
                    <Trouble error={fields.error} />
                    <FieldShelf
                      groups={groups}
                      used={used}
                      loading={fields.isPending}
                      editable={mayDesign}
                      searchRef={searchRef}
                      onAdd={(field, group) => addField(field, group)}
                    />
                    {mayDesign && (
                      <div className="p-3">
                        <Button
                          variant="quiet"
                          size="sm"
                          onClick={() => {
                            dispatch({ type: "addConstant" });
                            setTab("column");
                          }}
                        >
                          <Icon name="plus" /> a column with the same text in every row
                        </Button>
                      </div>
                    )}
                  </>
                )}
                {tab === "column" && (
                  <ThisColumn
                    document={document}
                    column={selectedColumn}
                    field={selectedField}
                    info={first?.columns.find((c) => c.id === selectedColumn?.id)}
                    problems={problems}
                    editable={mayDesign}
                    dispatch={dispatch}
                  />
                )}
                {tab === "file" && (
                  <FileTab
                    document={document}
                    look={first}
                    problems={problems}
                    editable={mayDesign}
                    dispatch={dispatch}
                  />
                )}
              </div>
            </aside>
          </div>
        )}
      </Dragging>
      <Outcome
        format={document.output?.format ?? "csv"}
        look={first}
        problems={problems}
        run={run}
        onShow={showProblem}
        onCure={
          mayDesign ? (way) => dispatch({ type: "put", place: way.place, value: way.value }) : undefined
        }
      />
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
        />
      )}
      {dialog === "keys" && <KeysDialog onClose={() => setDialog(null)} />}
    </>
  );
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

function keptWords(keeping: Keeping, template: TemplateInfo): string {
  switch (keeping.state) {
    case "sending":
      return " · keeping your changes…";
    case "away":
      return " · not kept yet";
    case "refused":
    case "overtaken":
      return " · draft not kept";
    case "kept":
      return template.changed
        ? " · draft kept"
        : template.saved_at
          ? ` · saved ${shortMoment(template.saved_at)}`
          : "";
  }
}

function KeepingBanner({ keeping, onOverwrite }: { keeping: Keeping; onOverwrite: () => void }) {
  if (keeping.state === "kept" || keeping.state === "sending") return null;
  return (
    <div className="banner" role="alert">
      <Icon name="exclamation" /> {keeping.problem.detail}
      {keeping.state === "refused" && keeping.problem.errors?.map((e) => <b key={e.place}>{e.message}</b>)}
      {keeping.state === "overtaken" && (
        <>
          <Button variant="quiet" size="sm" onClick={() => window.location.reload()}>
            Look at theirs
          </Button>
          <Button variant="quiet" size="sm" onClick={onOverwrite}>
            Keep mine instead
          </Button>
        </>
      )}
    </div>
  );
}
