import { useInfiniteQuery, useMutation, useQuery } from "@tanstack/react-query";
import type { InfiniteData } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useSearchParams } from "react-router";
import { answer, api, resources } from "../api";
import type { Run, RunPage, RunTotals } from "../api";
import { useMay, useShell } from "../shell";
import type { News } from "../shell";
import { Icon, Trouble, count, plural, size, useDebounced } from "../shared";
import type { Sorting } from "../shared";
import { BundleDialog } from "./BundleDialog";
import { LedgerTable, SENT_WORDS } from "./LedgerTable";
import type { SortBy } from "./LedgerTable";
import { RunNews } from "./RunNews";
import { STATUS_WORDS } from "./RunStatus";
import { Help } from "../guide";
import { tr } from "../i18n";

const PAGE = 50;

/** Spans of time that people ask for, as days back from today; 0 is today. */
const SPANS: [string, string, number][] = [
  ["today", tr("today"), 0],
  ["week", tr("the last 7 days"), 7],
  ["month", tr("the last 30 days"), 30],
  ["year", tr("the last 365 days"), 365],
];

/** Seconds after a run's end for which it is looked at again whether what it sent arrived. */
const JUST_ENDED = 600;

/** Whether what a round's run sends is on its way, or may be in a moment. */
function isGoingOut(run: Run): boolean {
  if (run.via !== "round" || !["asked", "running", "releasing", "ready"].includes(run.status)) return false;
  if (run.sent && run.sent.under_way === 0) return false;
  return !run.finished_at || Date.now() - Date.parse(run.finished_at) < JUST_ENDED * 1000;
}

/** The lines of all pages, as far as the news brought them; what became of what was sent, they do not tell. */
function linesOf(found: InfiniteData<RunPage> | undefined, news: News): Run[] {
  return (found?.pages ?? []).flatMap((p) => p.runs).map((r) => ({ ...r, ...news.runs[r.id], sent: r.sent }));
}

/** Everything that ran: who, what, when, how many rows, what became of it. */
export function Ledger() {
  const { news } = useShell();
  const mayRun = useMay("run");
  const [params, setParams] = useSearchParams();
  const [bundling, setBundling] = useState(false);
  const search = useDebounced(params.get("q") ?? "", 200);
  const setAll = (values: Record<string, string>) =>
    setParams(
      (known) => {
        const next = new URLSearchParams(known);
        for (const [name, value] of Object.entries(values)) {
          if (value) next.set(name, value);
          else next.delete(name);
        }
        return next;
      },
      { replace: true },
    );
  const set = (name: string, value: string) => setAll({ [name]: value });
  const template = params.get("template");
  const wanted = {
    search: search || undefined,
    status: (params.get("status") || undefined) as Run["status"] | undefined,
    template_id: template ? Number(template) : undefined,
    records: params.get("records") || undefined,
    since: sinceOf(params.get("when")),
    found: (params.get("found") || undefined) as "yes" | "no" | undefined,
    personal: (params.get("personal") || undefined) as "yes" | "no" | undefined,
    sent: (params.get("sent") || undefined) as keyof typeof SENT_WORDS | undefined,
  };
  const sorting: Sorting<SortBy> = {
    by: (params.get("sort") ?? "number") as SortBy,
    ascending: params.get("ascending") !== null,
  };
  const order = { sort: sorting.by, ascending: sorting.ascending };
  const runs = useInfiniteQuery({
    queryKey: ["runs", wanted, order],
    queryFn: ({ pageParam }) =>
      answer(
        api.GET("/api/v1/runs", {
          params: { query: { ...wanted, ...order, at_most: PAGE, before: pageParam ?? undefined } },
        }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (page) => page.next,
    // Of runs there are news; what is sent arrives a while after them.
    refetchInterval: ({ state }) => (linesOf(state.data, news).some(isGoingOut) ? 5_000 : false),
  });
  const totals = useQuery({
    queryKey: ["run-totals", wanted],
    queryFn: () => answer(api.GET("/api/v1/runs/totals", { params: { query: wanted } })),
  });
  const save = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/runs/export", { params: { query: wanted } })),
  });
  const saved = save.data ? (news.runs[save.data.id] ?? save.data) : undefined;
  const shown = linesOf(runs.data, news);
  const narrowed = Object.values(wanted).some((v) => v !== undefined);

  return (
    <>
      <div className="strip">
        <h1>{tr("Runs")}</h1>
        <Help topic="run-a-template#the-ledger" />
        {totals.data && <Totals totals={totals.data} onHeld={() => set("status", "held")} />}
        <span className="fill" />
        {saved ? (
          <RunNews run={saved} />
        ) : (
          <Button variant="quiet" disabled={save.isPending || !shown.length} onClick={() => save.mutate()}>
            <Icon name="download" /> {tr("This list as CSV")}
          </Button>
        )}
        <Link to="/runs/given-back" className="btn btn-quiet">
          {tr("Check a file given back")}
        </Link>
        {mayRun && (
          <Button variant="quiet" onClick={() => setBundling(true)}>
            <Icon name="layers" /> {tr("Several in one")}
          </Button>
        )}
      </div>
      <main className="body">
        <LedgerFilter params={params} set={set} />
        <Trouble error={runs.error ?? save.error} />
        {runs.isSuccess && shown.length === 0 ? (
          <div className="nothing slab">
            {narrowed
              ? tr("No run fits. Take a narrowing away to see more.")
              : tr(
                  "Every run stands here with who asked, what for, how many rows went out and the files. Nothing ran yet.",
                )}
          </div>
        ) : (
          <LedgerTable
            runs={shown}
            sorting={sorting}
            onSort={({ by, ascending }) => {
              setAll({ sort: by === "number" ? "" : by, ascending: ascending ? "yes" : "" });
            }}
          />
        )}
        {runs.hasNextPage && (
          <Button variant="quiet" className="mt-2" onClick={() => void runs.fetchNextPage()}>
            {order.sort === "number" && !order.ascending ? tr("Earlier runs") : tr("More runs")}
          </Button>
        )}
      </main>
      {bundling && <BundleDialog onClose={() => setBundling(false)} />}
    </>
  );
}

/** What the runs shown come to together. */
function Totals({ totals, onHeld }: { totals: RunTotals; onHeld: () => void }) {
  return (
    <span className="soft">
      {plural(totals.runs, "run")} · {plural(totals.rows, "row")} · {size(totals.bytes)}
      {totals.failed > 0 && <> {tr("· {{failed}} failed", { failed: count(totals.failed) })}</>}
      {totals.held > 0 && (
        <>
          {" · "}
          <button type="button" className="btn-link-plain" onClick={onHeld}>
            {tr("{{held}} waiting for review", { held: count(totals.held) })}
          </button>
        </>
      )}
      {totals.personal > 0 && (
        <> {tr("· {{personal}} with personal data", { personal: count(totals.personal) })}</>
      )}
    </span>
  );
}

interface FilterProps {
  params: URLSearchParams;
  set: (name: string, value: string) => void;
}

/** Which runs are shown; each choice stands in the address. */
function LedgerFilter({ params, set }: FilterProps) {
  const types = useQuery(resources.recordTypes());
  const template = params.get("template");
  return (
    <div className="ledger-filter">
      <div className="search">
        <Icon name="search" />
        <input
          aria-label={tr("Search runs")}
          placeholder={tr("Template or person")}
          value={params.get("q") ?? ""}
          onChange={(e) => set("q", e.target.value)}
        />
      </div>
      <Choice label={tr("Status")} name="status" params={params} set={set} any={tr("every status")}>
        {Object.entries(STATUS_WORDS).map(([status, words]) => (
          <option key={status} value={status}>
            {words}
          </option>
        ))}
      </Choice>
      <Choice label={tr("When")} name="when" params={params} set={set} any={tr("any time")}>
        {SPANS.map(([name, words]) => (
          <option key={name} value={name}>
            {words}
          </option>
        ))}
      </Choice>
      <Choice label={tr("Records")} name="records" params={params} set={set} any={tr("all records")}>
        {types.data?.map((t) => (
          <option key={t.name} value={t.name}>
            {t.plural}
          </option>
        ))}
        <option value="run">{tr("runs themselves")}</option>
      </Choice>
      <Choice label={tr("Checks")} name="found" params={params} set={set} any={tr("checks: all")}>
        <option value="yes">{tr("a check failed")}</option>
        <option value="no">{tr("checks were content")}</option>
      </Choice>
      <Choice
        label={tr("Personal data")}
        name="personal"
        params={params}
        set={set}
        any={tr("personal data: all")}
      >
        <option value="yes">{tr("with personal data")}</option>
        <option value="no">{tr("without")}</option>
      </Choice>
      <Choice label={tr("Sent")} name="sent" params={params} set={set} any={tr("sent or not")}>
        {Object.entries(SENT_WORDS).map(([state, words]) => (
          <option key={state} value={state}>
            {words}
          </option>
        ))}
      </Choice>
      {template && (
        <Button variant="quiet" onClick={() => set("template", "")}>
          {tr("one template only")} <Icon name="x" />
        </Button>
      )}
    </div>
  );
}

function Choice({
  label,
  name,
  params,
  set,
  any,
  children,
}: {
  label: string;
  name: string;
  params: URLSearchParams;
  set: (name: string, value: string) => void;
  any: string;
  children: React.ReactNode;
}) {
  return (
    <Form.Select
      aria-label={label}
      className={params.get(name) ? "set" : ""}
      value={params.get(name) ?? ""}
      onChange={(e) => set(name, e.target.value)}
    >
      <option value="">{any}</option>
      {children}
    </Form.Select>
  );
}

function sinceOf(span: string | null): string | undefined {
  const found = SPANS.find(([name]) => name === span);
  if (!found) return undefined;
  const day = new Date();
  day.setHours(0, 0, 0, 0);
  day.setDate(day.getDate() - found[2]);
  return day.toISOString();
}
