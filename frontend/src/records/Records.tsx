import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { useEffect, useMemo, useReducer, useState } from "react";
import { Button, Form } from "react-bootstrap";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { answer, api } from "../api";
import type { RecordType, RecordTypeFields, Run, ViewInfo } from "../api";
import { OnlyMine } from "../bench/components/OnlyMine";
import { PerUnit } from "../bench/components/PerUnit";
import { Sentence } from "../bench/components/Sentence";
import { useTally } from "../bench/hooks/useLook";
import { useFields } from "../bench/hooks/useFields";
import { EMPTY, reduce } from "../bench/reducer";
import type { Document } from "../bench/types";
import { RoundButtons } from "../rounds/RoundButtons";
import { RunNews } from "../runs";
import { Hint, useCurrentSource, useMay, usePreferences, useShell } from "../shell";
import { Icon, Trouble, count, plural, useDebounced, useFormats } from "../shared";
import { PicksDialog, RunOnDialog } from "./dialogs";
import { RecordGrid } from "./RecordGrid";
import { SavedLists } from "./SavedLists";
import { TakeMenu } from "./Take";
import { TypeBar, useByUse } from "./TypeBar";
import { SaveView, ViewMenu, useViewKey } from "./Views";
import { everydayView, keptView, looksIn, onScreen, plainSentence, proposedName, searched } from "./view";
import { Help } from "../guide";

const FIRST = 60;
const PAGE = 250;

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
  const { preferences } = usePreferences();
  const key = useViewKey(name ?? "");
  const liked = preferences.views?.[key];
  const wanted = params.get("view") ?? (liked === undefined ? null : String(liked));
  if (!type.data || !types.data || (wanted && !views.data))
    return (
      <main className="body">
        <Trouble error={types.error ?? type.error} />
      </main>
    );
  const view = views.data?.find((v) => String(v.id) === wanted);
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
  const formats = useFormats();
  const go = useNavigate();
  const client = useQueryClient();
  const [params, setParams] = useSearchParams();
  const [state, dispatch] = useReducer(reduce, start, (document) => ({
    ...EMPTY,
    document: keptView(type, params.get("see")) ?? document,
  }));
  const { document } = state;
  const [text, setText] = useState(params.get("q") ?? "");
  const [picked, setPicked] = useState<Map<string, { key: string[]; title: string }>>(new Map());
  const [dialog, setDialog] = useState<"picks" | "pick-all" | "run" | "try" | "view" | null>(null);
  const wanted = useDebounced(text, 250);
  const [everywhere, setEverywhere] = useState(params.get("in") === "all");
  const seen = useMemo(
    () => searched(document, type, wanted, everywhere),
    [document, type, wanted, everywhere],
  );
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
        if (wanted && everywhere) next.set("in", "all");
        else next.delete("in");
        if (address !== original) next.set("see", address);
        else next.delete("see");
        return next;
      },
      { replace: true },
    );
  }, [address, original, wanted, everywhere, setParams]);

  const pages = look.data?.pages;
  const first = pages?.[0];
  const rows = useMemo(() => pages?.flatMap((p) => p.rows) ?? [], [pages]);
  const keys = useMemo(() => pages?.flatMap((p) => (p.keys ?? []) as string[][]) ?? [], [pages]);
  // The count of what was seen before is not the count of what is seen.
  const total = tally.isPlaceholderData || tally.data?.about ? undefined : tally.data?.steps.at(-1)?.rows;
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

  const [taken, setTaken] = useState<Run | null>(null);
  const run = taken ? (news.runs[taken.id] ?? taken) : undefined;
  const proposed = proposedName(document, type, wanted);
  const named = { ...seen, name: proposed };
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
        <Help topic="records#lists-and-views" />
        {source && <span className="soft">{source.title}</span>}
        <span className="fill" />
        <RoundButtons records={start.records} />
        <ViewMenu
          type={type}
          views={views}
          view={view}
          changed={address !== original}
          onSave={() => setDialog("view")}
        />
        <SavedLists
          records={type.record_type}
          onShow={(list) =>
            dispatch({ type: "edit", document: { ...document, filter: { all: [{ picks: list }] } } })
          }
        />
        {mayRun && (
          <TakeMenu
            label="Export what I see"
            personal={first?.personal ?? []}
            onRun={setTaken}
            offered={formats.map((f) => ({
              words: `as ${f.label}`,
              format: f.name,
              document: named,
              note: total === undefined ? undefined : plural(total, "row"),
            }))}
          />
        )}
        {mayDesign && (
          <Button disabled={keep.isPending} onClick={() => keep.mutate(proposed)}>
            Design with these
          </Button>
        )}
      </div>
      {keep.error && (
        <div className="banner">
          <Trouble error={keep.error} />
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
          <div>
            <div className="search">
              <Icon name="search" />
              <input
                aria-label={`Search ${type.record_type.plural}`}
                placeholder={`Search ${type.record_type.plural}`}
                value={text}
                onChange={(e) => setText(e.target.value)}
              />
            </div>
            {text.trim() !== "" && (
              <Form.Check
                id="everywhere"
                className="small"
                label={`in all fields, not only ${looksIn(document, type)}`}
                checked={everywhere}
                onChange={(e) => setEverywhere(e.target.checked)}
              />
            )}
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
                {count(total)} of {count(all ?? total)}{" "}
                <PerUnit
                  document={seen}
                  templateId={0}
                  groups={groups}
                  label="counted by…"
                  onNarrow={(node) => dispatch({ type: "addNarrowing", node })}
                  onWiden={(widen) => dispatch({ type: "edit", document: widen(document) })}
                />{" "}
                <OnlyMine
                  document={document}
                  path={type.record_type.belongs_to}
                  onDocument={(next) => dispatch({ type: "edit", document: next })}
                />
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
        {look.isSuccess && (
          <RecordGrid
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
