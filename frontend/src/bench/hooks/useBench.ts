import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo, useReducer, useRef, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { answer, api } from "../../api";
import type { FieldGroup, FieldInfo, Problem, RecordType, TemplateInfo, WayOut } from "../../api";
import { useStartRun } from "../../runs";
import { useMay, useShell } from "../../shell";
import type { Examples } from "../components/dialogs";
import type { Tab } from "../components/ShelfTabs";
import type { Tracing } from "../components/TracePanel";
import { headingOf } from "../../document/defaults";
import { newestKey } from "../newest";
import { EMPTY, reduce } from "../../document/reducer";
import type { Action } from "../../document/reducer";
import { groupedValue, ruleOf } from "../../document/rows";
import type { Document } from "../../document/types";
import { useBenchKeys } from "./useBenchKeys";
import { useChecks } from "./useChecks";
import { useDraft } from "./useDraft";
import { useFields } from "../../document/hooks/useFields";
import { useLook, useTally } from "../../document/hooks/useLook";
import { plural } from "../../shared";
import { tr } from "../../i18n";

/** Bytes that separators and the line end add to an average row. */
const ROW_OVERHEAD = 2;

/** Bytes that a picture has at most as it is drawn in a cell, as a rule. */
const DRAWN_BYTES = 40_000;

/** What all parts of the bench of one template share. */
export type BenchState = ReturnType<typeof useBench>;

/** The state of a bench, what it looks at in the source, and what can be done on it. */
export function useBench(loaded: TemplateInfo) {
  const { news } = useShell();
  const mayDesign = useMay("design");
  const mayRun = useMay("run");
  const [state, dispatch] = useReducer(reduce, loaded.document, (document) => ({
    ...EMPTY,
    document,
  }));
  const { document, selected } = state;
  const columns = useMemo(() => document.columns ?? [], [document.columns]);
  const [template, setTemplate] = useState(loaded);
  const { keeping, flush, overwrite, adopt } = useDraft(loaded, document, setTemplate);
  const [params, setParams] = useSearchParams();
  const only = useMemo(() => keysIn(params.get("only")), [params]);
  const [tab, setTab] = useState<Tab>("fields");
  const [renaming, setRenaming] = useState<string | null>(null);
  const [announcement, announce] = useState("");
  const [dialog, setDialog] = useState<"save" | "new" | "keys" | "run" | "about" | "ask" | null>(null);
  const [tracing, setTracing] = useState<Tracing | null>(null);
  const [wanted, setWanted] = useState<{ key: string; at: number } | null>(null);
  const [trouble, setTrouble] = useState<unknown>(null);
  const searchRef = useRef<HTMLInputElement>(null);

  const { start: fields, groups, byPath } = useFields(document);
  const used = useMemo(
    () => new Set(columns.flatMap((c) => ("field" in c.value ? [c.value.field] : []))),
    [columns],
  );

  const looked = useLooked(document, loaded.id, only);
  const { first } = looked;

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
      setTrouble(key ? null : tr("No record fits, so there is none to try it on."));
      if (key) start.mutate({ template_id: loaded.id, use: "draft", only: [key] });
    } catch (error) {
      setTrouble(error);
    }
  };

  const adding = useAdding(loaded.id, document, dispatch, announce, setTrouble);
  const apart = useApart({
    loaded,
    document,
    flush,
    adopt,
    onTrouble: setTrouble,
    onDone: () => setDialog(null),
  });

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

  return {
    ...looked,
    ...adding,
    ...apart,
    loaded,
    mayDesign,
    mayRun,
    dispatch,
    state,
    document,
    selected,
    columns,
    template,
    setTemplate,
    keeping,
    flush,
    overwrite,
    adopt,
    only,
    setParams,
    tab,
    setTab,
    renaming,
    setRenaming,
    announcement,
    announce,
    dialog,
    setDialog,
    tracing,
    setTracing,
    wanted,
    trouble,
    setTrouble,
    searchRef,
    fields,
    groups,
    byPath,
    used,
    start,
    run,
    asksOrPersonal,
    startRun,
    tryNewest,
    showProblem,
    selectedColumn,
    selectedField,
    selectedPlace,
    cure,
  };
}

/** What the source and the server say of a document: its first rows, its tally, its checks. */
function useLooked(document: Document, id: number, only: string[][] | null) {
  const look = useLook(document, id, only ?? undefined);
  const tally = useTally(document, id);
  const checked = useChecks(document, id);
  const first = look.data?.pages[0];
  const last = look.data?.pages.at(-1);
  const rows = useMemo(() => look.data?.pages.flatMap((p) => p.rows) ?? [], [look.data]);
  const keys = useMemo(() => look.data?.pages.flatMap((p) => p.keys ?? []) ?? [], [look.data]);
  const marks = useMemo(() => look.data?.pages.flatMap((p) => p.marks ?? []) ?? [], [look.data]);
  const { fetchNextPage, isFetchingNextPage } = look;
  const onMore = useCallback(() => {
    if (!isFetchingNextPage) void fetchNextPage();
  }, [fetchNextPage, isFetchingNextPage]);
  const pictured = first?.columns.map((c) => c.kind === "file").join() ?? "";
  const rowBytes = useMemo(() => averageBytes(rows, pictured.split(",")), [rows, pictured]);
  return {
    look,
    tally,
    checked,
    first,
    last,
    rows,
    keys,
    marks,
    problems: first?.problems ?? [],
    onMore,
    rowBytes,
  };
}

/** Fields and formats that come to the document, each announced. */
function useAdding(
  id: number,
  document: Document,
  dispatch: (action: Action) => void,
  announce: (text: string) => void,
  onTrouble: (error: unknown) => void,
) {
  const [examples, setExamples] = useState<Examples | null>(null);
  const columns = document.columns ?? [];
  const addField = (field: FieldInfo, group: FieldGroup | undefined, at?: number) => {
    const heading = headingOf(field, group?.path ? group.label : "");
    if (ruleOf(document).per === "group") {
      const made = groupedValue(document, field);
      dispatch({ type: "addValue", ...made, at });
      announce(tr("{{made}} added as column {{at}}", { made: made.heading, at: (at ?? columns.length) + 1 }));
      return;
    }
    dispatch({ type: "addColumn", field: field.path, heading, at });
    announce(tr("{{heading}} added as column {{at}}", { heading, at: (at ?? columns.length) + 1 }));
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
    announce(tr("{{columns}} added", { columns: plural(fresh.length, "column") }));
  };
  const showExample = async (column: string, row: number, text: string) => {
    const heading = columns.find((c) => c.id === column)?.heading ?? "";
    try {
      const body = {
        document: document,
        column,
        row,
        text,
        template_id: id,
      };
      const found = await answer(api.POST("/api/v1/design/format", { body }));
      onTrouble(null);
      if (found.shows.length === 1) {
        dispatch({ type: "setShow", id: column, show: found.shows[0] });
        announce(tr("{{heading}} is now shown like {{text}}", { heading, text }));
      } else setExamples({ column, heading, text, found: found.shows, others: found.others });
    } catch (error) {
      onTrouble(error);
    }
  };
  return { examples, setExamples, addField, addMany, showExample };
}

interface ApartProps {
  loaded: TemplateInfo;
  document: Document;
  flush: () => Promise<TemplateInfo | null>;
  adopt: () => Promise<TemplateInfo | null>;
  onTrouble: (error: unknown) => void;
  onDone: () => void;
}

/** What stands on the bench kept as a template of its own. */
function useApart({ loaded, document, flush, adopt, onTrouble, onDone }: ApartProps) {
  const client = useQueryClient();
  const go = useNavigate();
  const keepBoth = async () => {
    try {
      const copy = {
        ...document,
        name: tr("{{document}}, my copy", { document: document.name }),
      };
      const body = { everyday: false, free_name: true, document: copy };
      const made = await answer(api.POST("/api/v1/templates", { body }));
      await adopt();
      void client.invalidateQueries({ queryKey: ["templates"] });
      void go(`/templates/${made.id}`);
    } catch (error) {
      onTrouble(error);
    }
  };

  /** What stood here has become a template of its own: this one goes back to what was saved of it. */
  const backToSaved = async (made: TemplateInfo) => {
    onDone();
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
      onTrouble(error);
    }
  };
  return { keepBoth, backToSaved };
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

/** Bytes of a row on average; of a file its cell says how large it is, and it is drawn smaller than that. */
function averageBytes(rows: (string | null)[][], pictured: string[]): number {
  if (rows.length === 0) return 0;
  const seen = rows.slice(0, 100);
  const cellBytes = (cell: string | null, n: number) =>
    pictured[n] === "true" ? Math.min(parseInt(cell ?? "") || 0, DRAWN_BYTES) : (cell?.length ?? 0);
  const bytes = seen.reduce(
    (n, row) => n + row.reduce((m, cell, k) => m + cellBytes(cell, k) + 1, ROW_OVERHEAD),
    0,
  );
  return bytes / seen.length;
}
