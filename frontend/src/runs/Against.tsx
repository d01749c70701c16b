import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api, fileAddress } from "../api";
import type { Comparison, PastRun, Run } from "../api";
import { Icon, Trouble, count, exact, plural, shortMoment } from "../shared";
import { tr } from "../i18n";

/** Differences drawn at once, and columns beside the key. */
const SHOWN = 12;
const COLUMNS = 5;

interface Props {
  run: Run;
  past: PastRun[];
}

/** What differs from an earlier run of the same template. */
export function Against({ run, past }: Props) {
  const others = past.filter((p) => p.id !== run.id && p.comparable).reverse();
  const [chosen, setChosen] = useState<number | null>(null);
  const [key, setKey] = useState<string[] | null>(null);
  const before = others.find((p) => p.id === chosen) ?? others[0];
  const compared = useQuery({
    queryKey: ["compare", run.id, before?.id, key],
    enabled: before !== undefined,
    queryFn: () =>
      answer(
        api.POST("/api/v1/runs/{run_id}/compare", {
          params: { path: { run_id: run.id } },
          body: { before: before!.id, key },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.status === "asked" ? 1000 : false),
    staleTime: Infinity,
  });
  if (!before) return null;
  const found = compared.data;
  return (
    <section className="slab" aria-label={tr("Against an earlier run")}>
      <div className="against-head">
        <h2>
          {tr("Against")}{" "}
          <Form.Select
            size="sm"
            aria-label={tr("The earlier run")}
            value={before.id}
            onChange={(e) => setChosen(Number(e.target.value))}
          >
            {others.map((p) => (
              <option key={p.id} value={p.id}>
                {tr("run {{id}}, {{as_of}}{{version}}", {
                  id: count(p.id),
                  as_of: shortMoment(p.as_of),
                  version:
                    p.version !== run.version
                      ? tr(" (version {{version}})", { version: p.version ?? "unsaved" })
                      : "",
                })}
              </option>
            ))}
          </Form.Select>
        </h2>
        {found && <Matched found={found} run={run} onKey={setKey} />}
      </div>
      <Trouble error={compared.error} />
      {(compared.isPending || found?.status === "asked") && !compared.error && (
        <div className="soft" role="status">
          {tr("The two are being laid side by side…")}
        </div>
      )}
      {found?.status === "failed" && <div className="field-trouble">{found.error}</div>}
      {found?.status === "ready" && <Differences found={found} run={run} />}
    </section>
  );
}

function Matched({
  found,
  run,
  onKey,
}: {
  found: Comparison;
  run: Run;
  onKey: (key: string[] | null) => void;
}) {
  const headings = (run.slip?.columns ?? []).map((c) => c.heading);
  return (
    <label className="soft small">
      {tr("rows matched on")}{" "}
      <select
        className="form-select form-select-sm d-inline-block w-auto"
        value={found.key.length === 1 ? found.key[0] : ""}
        onChange={(e) => onKey(e.target.value ? [e.target.value] : null)}
      >
        {found.key.length !== 1 && (
          <option value="">{found.key.length > 4 ? tr("all columns") : found.key.join(tr(" and "))}</option>
        )}
        {headings.map((h) => (
          <option key={h}>{h}</option>
        ))}
      </select>
    </label>
  );
}

function Differences({ found, run }: { found: Comparison; run: Run }) {
  const [kind, setKind] = useState<Kind | null>(null);
  const [all, setAll] = useState(false);
  const none = found.added + found.gone + found.changed === 0;
  const number = kind ? found[kind] : found.added + found.gone + found.changed;
  const wanted = found.listed.filter((d) => !kind || d.change === kind);
  const shown = all ? wanted : spread(wanted, SHOWN, kind !== null);
  const columns = columnsOf(found);
  return (
    <>
      <div className="against-counts">
        {(["added", "changed", "gone"] as const).map((change) => (
          <button
            key={change}
            type="button"
            className={`count-chip ${change}`}
            aria-pressed={kind === change}
            disabled={found[change] === 0}
            onClick={() => setKind(kind === change ? null : change)}
          >
            <b>{count(found[change])}</b> {change}
          </button>
        ))}
        <span className="soft">{tr("{{same}} the same", { same: count(found.same) })}</span>
        <span className="fill" />
        {found.file_id != null && (
          <a href={fileAddress(run.id, found.file_id)} download>
            <Icon name="download" /> {tr("every difference as CSV")}
          </a>
        )}
      </div>
      {(found.new_columns.length > 0 || found.gone_columns.length > 0) && (
        <div className="small mb-2">
          {found.new_columns.length > 0 && (
            <>{tr("New columns: {{new_columns}}.", { new_columns: found.new_columns.join(", ") })} </>
          )}
          {found.gone_columns.length > 0 && (
            <>
              {tr("Columns that went: {{gone_columns}}.", {
                gone_columns: found.gone_columns.join(", "),
              })}{" "}
            </>
          )}
          <span className="soft">{tr("They are not compared.")}</span>
        </div>
      )}
      {found.repeated > 0 && (
        <div className="small mb-2">
          <Icon name="exclamation" />{" "}
          {tr("{{repeated}} share their {{key}} with a row before; these are matched in their order.", {
            repeated: plural(found.repeated, "row"),
            key: found.key.join(", "),
          })}
        </div>
      )}
      {Object.keys(found.by_column).length > 0 && (
        <div className="soft small mb-2">
          {tr("Changed cells: {{value}}", {
            value: Object.entries(found.by_column)
              .sort((a, b) => (b[1] ?? 0) - (a[1] ?? 0))
              .map(([heading, n]) => `${heading} ${count(n ?? 0)}`)
              .join(", "),
          })}
        </div>
      )}
      {none ? (
        <div>
          <Icon name="check" /> {tr("Nothing differs.")}
        </div>
      ) : (
        <div className="scrolls">
          <table className="board differences">
            <thead>
              <tr>
                <th>
                  <span className="visually-hidden">{tr("Change")}</span>
                </th>
                {columns.map((c) => (
                  <th key={c}>{c}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shown.map((d, n) => (
                <tr key={n} className={d.change}>
                  <td className="sign">
                    <span aria-hidden>{SIGNS[d.change]}</span>
                    <span className="visually-hidden">{d.change}</span>
                  </td>
                  {columns.map((c) => (
                    <DifferenceCell
                      key={c}
                      before={d.before?.[c]}
                      after={d.after?.[c]}
                      changed={d.columns.includes(c)}
                      gone={d.change === "gone"}
                    />
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {wanted.length > shown.length && (
        <button type="button" className="btn-link-plain small mt-2" onClick={() => setAll(true)}>
          {tr("Show {{wanted}} of {{number}}", { wanted: wanted.length, number: count(number) })}
        </button>
      )}
    </>
  );
}

type Kind = "added" | "changed" | "gone";

const SIGNS = { added: "+", changed: "~", gone: "−" } as const;

function DifferenceCell({
  before,
  after,
  changed,
  gone,
}: {
  before: string | null | undefined;
  after: string | null | undefined;
  changed: boolean;
  gone: boolean;
}) {
  const value = gone ? before : after;
  const numeric = /^-?\d+(\.\d+)?$/.test(value ?? "");
  return (
    <td className={numeric ? "num" : ""}>
      {changed && (
        <>
          <del>{before ?? tr("empty")}</del>{" "}
        </>
      )}
      {value === null || value === undefined
        ? changed
          ? tr("empty")
          : ""
        : numeric && changed
          ? exact(value)
          : value}
    </td>
  );
}

/** The key, then the columns that changed most, then the first others. */
function columnsOf(found: Comparison): string[] {
  const key = found.key.length > 3 ? [] : found.key;
  const changed = Object.entries(found.by_column)
    .sort((a, b) => (b[1] ?? 0) - (a[1] ?? 0))
    .map(([heading]) => heading);
  const rest = found.columns.filter((c) => !key.includes(c) && !changed.includes(c));
  const taken = new Set([...key, ...[...changed.filter((c) => !key.includes(c)), ...rest].slice(0, COLUMNS)]);
  return found.columns.filter((c) => taken.has(c));
}

/** Some of each kind, rather than only the first kind there is. */
function spread<T extends { change: string }>(listed: T[], most: number, one: boolean): T[] {
  if (one || listed.length <= most) return listed.slice(0, most);
  const kinds = [...new Set(listed.map((d) => d.change))];
  const each = Math.max(1, Math.floor(most / kinds.length));
  return kinds.flatMap((k) => listed.filter((d) => d.change === k).slice(0, each));
}
