import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useReducer, useRef, useState } from "react";
import { Button, Dropdown, Form } from "react-bootstrap";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { answer, api } from "../api";
import type { RecordType, RecordTypeFields, ViewInfo } from "../api";
import { Sentence } from "../bench/components/Sentence";
import { FieldPicker } from "../bench/components/FieldPicker";
import { useTally } from "../bench/hooks/useLook";
import { useFields } from "../bench/hooks/useFields";
import { EMPTY, reduce } from "../bench/reducer";
import type { Document } from "../bench/types";
import { RoundButtons } from "../rounds/RoundButtons";
import { Purpose, RunNews, useStartRun } from "../runs";
import { Hint, useCurrentSource, useMay, useShell } from "../shell";
import { FormDialog, Icon, Trouble, capital, count, plural, useDebounced } from "../shared";
import { PicksDialog, RunOnDialog } from "./dialogs";
import { everydayView, onScreen, searched } from "./view";

const FIRST = 60;
const PAGE = 250;
const ROW = 30;

/** Record types shown as buttons before the rest is folded away. */
const SHOWN = 7;

/** Records of any type: search, narrow, choose columns, pick, take away what is seen. */
export function Records() {
  const name = useParams().name;
  const go = useNavigate();
  const types = useQuery({
    queryKey: ["record-types"],
    queryFn: () => answer(api.GET("/api/v1/record-types")),
    staleTime: 300_000,
  });
  const first = useByUse(types.data ?? [])[0];
  useEffect(() => {
    if (!name && first) void go(`/records/${first.name}`, { replace: true });
  }, [name, first, go]);
  const type = useQuery({
    queryKey: ["record-type", name],
    queryFn: () => answer(api.GET("/api/v1/record-types/{name}", { params: { path: { name: name! } } })),
    enabled: name !== undefined,
    staleTime: 300_000,
  });
  const views = useQuery({
    queryKey: ["views", name],
    queryFn: () => answer(api.GET("/api/v1/records/{name}/views", { params: { path: { name: name! } } })),
    enabled: name !== undefined,
  });
  const [params] = useSearchParams();
  if (!type.data || !types.data || (params.get("view") && !views.data))
    return (
      <main className="body">
        <Trouble error={types.error ?? type.error} />
      </main>
    );
  const view = views.data?.find((v) => String(v.id) === params.get("view"));
  const start = view ? (view.document as unknown as Document) : everydayView(type.data);
  return (
    <Browse
      key={`${name} ${view?.id ?? ""}`}
      types={types.data}
      type={type.data}
      start={start}
      view={view}
      views={views.data ?? []}
    />
  );
}

function Browse({
  types,
  type,
  start,
  view,
  views,
}: {
  types: RecordType[];
  type: RecordTypeFields;
  start: Document;
  view: ViewInfo | undefined;
  views: ViewInfo[];
}) {
  const { news } = useShell();
  const source = useCurrentSource();
  const mayDesign = useMay("design");
  const mayRun = useMay("run");
  const go = useNavigate();
  const client = useQueryClient();
  const [params, setParams] = useSearchParams();
  const [state, dispatch] = useReducer(reduce, start, (document) => ({
    ...EMPTY,
    document: kept(type, params.get("see")) ?? document,
  }));
  const { document } = state;
  const [text, setText] = useState(params.get("q") ?? "");
  const [picked, setPicked] = useState<Map<string, { key: string[]; title: string }>>(new Map());
  const [dialog, setDialog] = useState<"picks" | "pick-all" | "run" | "try" | "view" | null>(null);
  const wanted = useDebounced(text, 250);
  const seen = useMemo(() => searched(document, type, wanted), [document, type, wanted]);
  const { groups } = useFields(document);
  const tally = useTally(seen, 0);
  const look = useInfiniteQuery({
    queryKey: ["records", seen],
    queryFn: ({ pageParam, signal }) =>
      answer(
        api.POST("/api/v1/design/look", {
          body: {
            // On screen dates and numbers are as people write them; a file is written for programs.
            document: onScreen(seen, type),
            limit: pageParam ? PAGE : FIRST,
            offset: pageParam,
            bench: "",
            keys: true,
          },
          signal,
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (last.more ? pages.reduce((n, p) => n + p.rows.length, 0) : undefined),
    placeholderData: keepPreviousData,
  });
  // The address holds what is seen, so that it can be sent to a colleague.
  const address = JSON.stringify([document.columns, document.filter, document.order]);
  const original = JSON.stringify([start.columns, start.filter, start.order]);
  useEffect(() => {
    setParams(
      (known) => {
        const next = new URLSearchParams(known);
        if (wanted) next.set("q", wanted);
        else next.delete("q");
        if (address !== original) next.set("see", address);
        else next.delete("see");
        return next;
      },
      { replace: true },
    );
  }, [address, original, wanted, setParams]);

  const pages = look.data?.pages;
  const first = pages?.[0];
  const rows = useMemo(() => pages?.flatMap((p) => p.rows) ?? [], [pages]);
  const keys = useMemo(() => pages?.flatMap((p) => (p.keys ?? []) as string[][]) ?? [], [pages]);
  const total = tally.data?.steps.at(-1)?.rows;
  const all = tally.data?.steps[0]?.rows;
  const titleAt =
    document.columns?.findIndex((c) => "field" in c.value && c.value.field === type.record_type.title) ?? -1;
  const titleOf = (n: number) => (titleAt < 0 ? null : rows[n]![titleAt]) ?? keys[n]!.join(", ");
  const toggle = (n: number) =>
    setPicked((known) => {
      const next = new Map(known);
      const id = JSON.stringify(keys[n]);
      if (next.has(id)) next.delete(id);
      else next.set(id, { key: keys[n]!, title: titleOf(n) });
      return next;
    });

  const exporting = useStartRun();
  const run = exporting.data ? (news.runs[exporting.data.id] ?? exporting.data) : undefined;
  const named = { ...seen, name: `${capital(type.record_type.plural)} as seen` };
  const [taking, setTaking] = useState<"csv" | "xlsx" | "jsonl" | null>(null);
  const [purpose, setPurpose] = useState("");
  const take = (format: "csv" | "xlsx" | "jsonl") => {
    if (first?.personal?.length && !purpose.trim()) setTaking(format);
    else exporting.mutate({ document: named, use: "draft", format, purpose });
  };
  const keep = useMutation({
    mutationFn: (name: string) =>
      answer(
        api.POST("/api/v1/templates", {
          body: {
            everyday: false,
            free_name: true,
            document: { ...seen, name } as unknown as Record<string, never>,
          },
        }),
      ),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["templates"] });
      void go(`/templates/${made.id}`);
    },
  });
  const chosen = [...picked.values()];

  return (
    <>
      <div className="strip">
        <h1>Records</h1>
        {source?.environment === "practice" && (
          <span className="tag practice">
            <Icon name="cone" /> practice data · {source.title}
          </span>
        )}
        <span className="fill" />
        <RoundButtons records={start.records} />
        <ViewMenu
          type={type}
          views={views}
          view={view}
          changed={address !== original}
          onSave={() => setDialog("view")}
        />
        {mayRun && (
          <Dropdown align="end">
            <Dropdown.Toggle variant="quiet">
              <Icon name="download" /> Export what I see
            </Dropdown.Toggle>
            <Dropdown.Menu>
              {(["csv", "xlsx", "jsonl"] as const).map((format) => (
                <Dropdown.Item key={format} as="button" onClick={() => take(format)}>
                  {{ csv: "as CSV", xlsx: "as a spreadsheet", jsonl: "as JSON Lines" }[format]}
                  {total !== undefined && <span className="soft"> · {plural(total, "row")}</span>}
                </Dropdown.Item>
              ))}
            </Dropdown.Menu>
          </Dropdown>
        )}
        {mayDesign && (
          <Button
            disabled={keep.isPending}
            onClick={() =>
              keep.mutate(
                `${capital(type.record_type.plural)}, ${wanted ? `“${wanted}”` : "a view"}`.slice(0, 100),
              )
            }
          >
            Design with these
          </Button>
        )}
      </div>
      {(exporting.error ?? keep.error) && (
        <div className="banner">
          <Trouble error={exporting.error ?? keep.error} />
        </div>
      )}
      {run && (
        <div className="banner">
          <RunNews run={run} />
        </div>
      )}
      <main className="body records-place">
        <TypeBar types={types} here={type.record_type.name} />
        <div className="records-line">
          <div className="search">
            <Icon name="search" />
            <input
              aria-label={`Search ${type.record_type.plural}`}
              placeholder={`Search ${type.record_type.plural}`}
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
          </div>
          <Sentence
            parts={plainSentence(first?.sentence ?? [], type)}
            document={document}
            start={type}
            groups={groups}
            problems={first?.problems ?? []}
            editable
            dispatch={dispatch}
          />
          <span className="soft" role="status">
            {total === undefined ? (
              "counting…"
            ) : (
              <>
                {count(total)} of {count(all ?? total)}
              </>
            )}
          </span>
        </div>
        <Hint name="records">
          Click a name to open a record; tick some to keep them as a list or run a template on them. What you
          see can be taken away as a file at once, or kept as a template.
        </Hint>
        <Trouble error={look.error} />
        {first?.problems.map((p) => (
          <div key={p.message} className="field-trouble">
            {p.message}
          </div>
        ))}
        {look.isSuccess && rows.length === 0 && (
          <div className="nothing slab">No matches. Remove a condition, or search for less.</div>
        )}
        {rows.length > 0 && (
          <Grid
            type={type}
            document={document}
            rows={rows}
            keys={keys}
            kinds={first?.columns.map((c) => c.kind) ?? []}
            picked={picked}
            onToggle={toggle}
            onAll={() =>
              setPicked((known) =>
                known.size
                  ? new Map()
                  : new Map(keys.map((k, n) => [JSON.stringify(k), { key: k, title: titleOf(n) }])),
              )
            }
            dispatch={dispatch}
            groups={groups}
            more={look.hasNextPage && !look.isFetchingNextPage}
            onMore={() => void look.fetchNextPage()}
          />
        )}
      </main>
      {chosen.length > 0 && (
        <div className="pick-bar" role="region" aria-label="Picked records">
          <b>{count(chosen.length)} picked</b>
          {total !== undefined && <span className="of">of {count(total)} that match</span>}
          {mayDesign && total !== undefined && total > chosen.length && (
            <button type="button" className="btn-link-plain" onClick={() => setDialog("pick-all")}>
              keep all {count(total)} as a list
            </button>
          )}
          <span className="fill" />
          {mayDesign && (
            <Button variant="light" onClick={() => setDialog("picks")}>
              Keep as picks…
            </Button>
          )}
          {mayRun && (
            <Button variant="light" onClick={() => setDialog("run")}>
              Run a template on these
            </Button>
          )}
          <Button variant="light" onClick={() => setDialog("try")}>
            Try on one
          </Button>
          <button
            type="button"
            className="btn"
            aria-label="Clear selection"
            onClick={() => setPicked(new Map())}
          >
            <Icon name="x" />
          </button>
        </div>
      )}
      {taking && (
        <FormDialog
          title="Export what I see"
          act="Export"
          ready={purpose.trim() !== ""}
          busy={false}
          error={null}
          onAct={() => {
            take(taking);
            setTaking(null);
          }}
          onClose={() => setTaking(null)}
        >
          <Purpose personal={first?.personal ?? []} purpose={purpose} onPurpose={setPurpose} />
        </FormDialog>
      )}
      {(dialog === "picks" || dialog === "pick-all") && (
        <PicksDialog
          records={type.record_type}
          keys={dialog === "picks" ? chosen.map((c) => c.key) : null}
          document={seen}
          size={dialog === "picks" ? chosen.length : (total ?? 0)}
          onClose={() => setDialog(null)}
        />
      )}
      {dialog === "run" && (
        <RunOnDialog
          records={type.record_type}
          keys={chosen.map((c) => c.key)}
          filter={address !== original || wanted ? seen.filter : undefined}
          total={total}
          onClose={() => setDialog(null)}
        />
      )}
      {dialog === "try" && (
        <RunOnDialog
          records={type.record_type}
          keys={[chosen[0]!.key]}
          one={chosen[0]!.title}
          onClose={() => setDialog(null)}
        />
      )}
      {dialog === "view" && (
        <SaveView
          name={view?.mine ? view.name : ""}
          shared={view?.mine ? view.shared : false}
          document={document}
          onClose={() => setDialog(null)}
        />
      )}
    </>
  );
}

/** The view that the address holds, when it is one of this record type. */
function kept(type: RecordTypeFields, text: string | null): Document | null {
  if (!text) return null;
  try {
    const [columns, filter, order] = JSON.parse(text) as [
      Document["columns"],
      Document["filter"],
      Document["order"],
    ];
    return {
      ...everydayView(type),
      columns: columns ?? [],
      filter: filter ?? undefined,
      order: order ?? undefined,
    };
  } catch {
    return null;
  }
}

/** The template's sentence as Records say it: “Trees where…” instead of “One row per tree”; without the limit. */
function plainSentence<T extends { text: string; role: string; place: string; note: string }>(
  parts: T[],
  type: RecordTypeFields,
): T[] {
  const from = parts.findIndex((p) => p.role === "records") + 1;
  const to = parts.findIndex((p) => p.role === "limit");
  if (from === 0) return [];
  const rest = parts.slice(from, to < 0 ? undefined : to - 1);
  return [
    { ...parts[0]!, text: capital(type.record_type.plural), role: "text", place: "", note: "" },
    ...rest,
    { ...parts[0]!, text: " ", role: "text" },
  ];
}

/** Record types, those that most templates are made of first, then the largest. */
function useByUse(types: RecordType[]): RecordType[] {
  const templates = useQuery({
    queryKey: ["templates"],
    queryFn: () => answer(api.GET("/api/v1/templates")),
  });
  const uses = new Map<string, number>();
  for (const t of templates.data ?? []) uses.set(t.records, (uses.get(t.records) ?? 0) + 1);
  const use = (t: RecordType) => uses.get(t.name) ?? 0;
  return [...types].sort((a, b) => use(b) - use(a) || (b.rows ?? 0) - (a.rows ?? 0));
}

function TypeBar({ types, here }: { types: RecordType[]; here: string }) {
  const [more, setMore] = useState(false);
  const order = useByUse(types);
  const shown = order.filter((t, n) => more || n < SHOWN || t.name === here);
  return (
    <nav className="types" aria-label="Record types">
      {shown.map((t) => (
        <Link key={t.name} to={`/records/${t.name}`} aria-current={t.name === here ? "page" : undefined}>
          {capital(t.plural)} {t.rows !== null && <span>{count(t.rows)}</span>}
        </Link>
      ))}
      {!more && order.length > shown.length && (
        <button type="button" onClick={() => setMore(true)}>
          {order.length - shown.length} more
        </button>
      )}
    </nav>
  );
}

function ViewMenu({
  type,
  views,
  view,
  changed,
  onSave,
}: {
  type: RecordTypeFields;
  views: ViewInfo[];
  view: ViewInfo | undefined;
  changed: boolean;
  onSave: () => void;
}) {
  const client = useQueryClient();
  const name = type.record_type.name;
  const remove = useMutation({
    mutationFn: (id: number) =>
      answer(api.DELETE("/api/v1/records/views/{view_id}", { params: { path: { view_id: id } } })),
    onSuccess: () => void client.invalidateQueries({ queryKey: ["views", name] }),
  });
  return (
    <Dropdown align="end">
      <Dropdown.Toggle variant="quiet">
        <Icon name="eye" /> View: {view?.name ?? "everyday fields"}
        {changed && " *"}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <Dropdown.Item as={Link} to={`/records/${name}`}>
          everyday fields
        </Dropdown.Item>
        {views.map((v) => (
          <Dropdown.Item key={v.id} as={Link} to={`/records/${name}?view=${v.id}`}>
            {v.name} <span className="soft">{v.mine ? (v.shared ? "mine, shared" : "mine") : v.owner}</span>
          </Dropdown.Item>
        ))}
        <Dropdown.Divider />
        <Dropdown.Item as="button" onClick={onSave}>
          Save this view…
        </Dropdown.Item>
        {view?.mine && (
          <Dropdown.Item as={Link} to={`/records/${name}`} onClick={() => remove.mutate(view.id)}>
            Remove “{view.name}”
          </Dropdown.Item>
        )}
      </Dropdown.Menu>
    </Dropdown>
  );
}

function SaveView({
  name,
  shared,
  document,
  onClose,
}: {
  name: string;
  shared: boolean;
  document: Document;
  onClose: () => void;
}) {
  const go = useNavigate();
  const client = useQueryClient();
  const [text, setText] = useState(name);
  const [all, setAll] = useState(shared);
  const save = useMutation({
    mutationFn: () =>
      answer(
        api.PUT("/api/v1/records/{name}/views", {
          params: { path: { name: document.records } },
          body: { name: text.trim(), shared: all, document: document as unknown as Record<string, never> },
        }),
      ),
    onSuccess: async (view) => {
      await client.invalidateQueries({ queryKey: ["views", document.records] });
      onClose();
      void go(`/records/${document.records}?view=${view.id}`);
    },
  });
  return (
    <FormDialog
      title="Save this view"
      act="Save"
      ready={text.trim() !== ""}
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="view-name">
        <Form.Label>Name</Form.Label>
        <Form.Control autoFocus maxLength={120} value={text} onChange={(e) => setText(e.target.value)} />
      </Form.Group>
      <Form.Check
        id="view-shared"
        label="everybody may use it"
        checked={all}
        onChange={(e) => setAll(e.target.checked)}
      />
      <span className="soft small">
        Its columns, narrowings and order; the same field list starts templates and exports.
      </span>
    </FormDialog>
  );
}

function Grid({
  type,
  document,
  rows,
  keys,
  kinds,
  picked,
  onToggle,
  onAll,
  dispatch,
  groups,
  more,
  onMore,
}: {
  type: RecordTypeFields;
  document: Document;
  rows: (string | null)[][];
  keys: string[][];
  kinds: string[];
  picked: Map<string, unknown>;
  onToggle: (row: number) => void;
  onAll: () => void;
  dispatch: (action: import("../bench/reducer").Action) => void;
  groups: RecordTypeFields["groups"];
  more: boolean;
  onMore: () => void;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const [adding, setAdding] = useState(false);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    paddingStart: 34,
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (more && last > rows.length - 40) onMore();
  }, [more, last, rows.length, onMore]);
  const columns = document.columns ?? [];
  const order = document.order?.[0];
  const above = (items[0]?.start ?? 34) - 34;
  const below = Math.max(0, virtual.getTotalSize() - (items.at(-1)?.end ?? 34));
  const linked = Math.max(
    0,
    columns.findIndex((c) => "field" in c.value && c.value.field === type.record_type.title),
  );
  const sortBy = (id: string) => {
    const down = order?.column === id && order.direction !== "descending";
    dispatch({
      type: "setOrder",
      order: [{ column: id, ...(down ? { direction: "descending" as const } : {}) }],
    });
  };
  return (
    <div className="grid-wrap" ref={scroller} tabIndex={0} role="region" aria-label={type.record_type.plural}>
      <table className="grid">
        <thead>
          <tr>
            <th className="tick">
              <input
                type="checkbox"
                className="form-check-input"
                aria-label="Pick all that are loaded"
                checked={picked.size > 0}
                ref={(box) => {
                  if (box) box.indeterminate = picked.size > 0 && picked.size < rows.length;
                }}
                onChange={onAll}
              />
            </th>
            {columns.map((c, n) => (
              <th
                key={c.id}
                className={NUMERIC.includes(kinds[n] ?? "") ? "num" : ""}
                aria-sort={
                  order?.column === c.id
                    ? order.direction === "descending"
                      ? "descending"
                      : "ascending"
                    : undefined
                }
              >
                <button type="button" className="head-sort" onClick={() => sortBy(c.id)}>
                  {c.heading}
                  {order?.column === c.id && (
                    <span aria-hidden>{order.direction === "descending" ? " ↓" : " ↑"}</span>
                  )}
                </button>
                <button
                  type="button"
                  className="head-x"
                  onClick={() => dispatch({ type: "removeColumns", ids: [c.id] })}
                >
                  <Icon name="x" label={`Hide ${c.heading}`} />
                </button>
              </th>
            ))}
            <th className="add">
              <Dropdown show={adding} onToggle={setAdding} align="end">
                <Dropdown.Toggle variant="link" bsPrefix="btn" aria-label="Another column">
                  <Icon name="plus" />
                </Dropdown.Toggle>
                <Dropdown.Menu className="p-2" style={{ width: 330 }}>
                  {adding && (
                    <FieldPicker
                      groups={groups}
                      onPick={(field, group) => {
                        setAdding(false);
                        dispatch({
                          type: "addColumn",
                          field: field.path,
                          heading:
                            group.path && /^(name|label|code)$/i.test(field.label)
                              ? group.label.split(" › ").at(-1)!
                              : field.label,
                        });
                      }}
                    />
                  )}
                </Dropdown.Menu>
              </Dropdown>
            </th>
          </tr>
        </thead>
        <tbody>
          {above > 0 && (
            <tr aria-hidden style={{ height: above }}>
              <td />
            </tr>
          )}
          {items.map((item) => {
            const row = rows[item.index]!;
            const key = keys[item.index] ?? [];
            const on = picked.has(JSON.stringify(key));
            return (
              <tr key={item.key} className={on ? "on" : ""}>
                <td className="tick">
                  <input
                    type="checkbox"
                    className="form-check-input"
                    aria-label={`Pick ${row[linked] ?? key.join(", ")}`}
                    checked={on}
                    onChange={() => onToggle(item.index)}
                  />
                </td>
                {columns.map((c, n) => (
                  <td
                    key={c.id}
                    className={NUMERIC.includes(kinds[n] ?? "") ? "num" : ""}
                    title={(row[n]?.length ?? 0) > 40 ? row[n]! : undefined}
                  >
                    {n === linked ? (
                      <Link
                        className="mono"
                        to={`/records/${type.record_type.name}/${key.map(encodeURIComponent).join("/")}`}
                      >
                        {row[n] ?? key.join(", ")}
                      </Link>
                    ) : (
                      (row[n] ?? <span className="soft">empty</span>)
                    )}
                  </td>
                ))}
                <td />
              </tr>
            );
          })}
          {below > 0 && (
            <tr aria-hidden style={{ height: below }}>
              <td />
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}

const NUMERIC = ["integer", "decimal"];
