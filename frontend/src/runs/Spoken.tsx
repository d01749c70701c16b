import { useState } from "react";
import { Link } from "react-router";
import { LEDGER, recordsAt } from "../api";
import type { Run } from "../api";
import { Icon, capital, count, plural } from "../shared";
import { SEVERITIES } from "./slip";
import type { RunFinding, SlipCheck } from "./slip";
import { tr } from "../i18n";

/** Findings of a check that stand there at once. */
const SHOWN = 6;

/** Places and people that findings are counted by and named. */
const NAMED = 8;

/** What the checks of a run object to, the gravest first, each with the records it is about. */
export function Spoken({ run }: { run: Run }) {
  const order = { stop: 0, hold: 1, note: 2 };
  const speaking = (run.slip?.checks ?? [])
    .filter((c) => c.objections > 0)
    .sort((a, b) => order[a.severity] - order[b.severity]);
  const findings = run.findings ?? [];
  if (!speaking.length) return null;
  return (
    <>
      {speaking.map((check) => (
        <Speaking
          key={check.place + check.words}
          check={check}
          run={run}
          findings={findings.filter((f) => f.place === check.place && f.words === check.words)}
        />
      ))}
    </>
  );
}

/** Where, or whose, most of the findings are: where there are several. */
function Counted({ by, of, all }: { by?: SlipCheck["by_place"]; of: string; all: number }) {
  if (!by || by.length < 2) return null;
  const counted = by.map(([name, found]) => [String(name), Number(found)] as const);
  return (
    <table className="board plain counted mb-2">
      <thead>
        <tr>
          <th>{of}</th>
          <th className="text-end">{tr("Findings")}</th>
          <th aria-hidden />
        </tr>
      </thead>
      <tbody>
        {counted.slice(0, NAMED).map(([name, found]) => (
          <tr key={name}>
            <td>{name || <span className="soft">{tr("blank")}</span>}</td>
            <td className="text-end mono">{count(found)}</td>
            <td aria-hidden className="bar-cell">
              <span style={{ width: `${Math.max(2, (100 * found) / all)}%` }} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Speaking({ check, run, findings }: { check: SlipCheck; run: Run; findings: RunFinding[] }) {
  const [all, setAll] = useState(check.severity !== "note" && findings.length <= SHOWN);
  const rowsOf = run.slip?.rows_of;
  const shown = all ? findings : findings.slice(0, check.severity === "note" ? 0 : SHOWN);
  return (
    <section className={`slab spoken is-${check.severity}`}>
      <h2>
        <Icon name="exclamation" /> {check.words}
      </h2>
      <p className={shown.length ? "mb-2" : "mb-0"}>
        {check.saw ? (
          <>{capital(check.saw)}.</>
        ) : (
          <>
            <b>{count(check.objections)}</b>{" "}
            {tr("of {{rows}} do not.", {
              rows: plural(run.rows_announced ?? run.rows_written, "row"),
              count: check.objections,
            })}
          </>
        )}{" "}
        {SEVERITIES[check.severity]}{" "}
        {findings.length > shown.length && (
          <button type="button" className="btn-link-plain" onClick={() => setAll(true)}>
            {findings.length === check.objections
              ? tr("Show them")
              : tr("Show the first {{findings}}", { findings: findings.length })}
          </button>
        )}
      </p>
      <div className="d-flex flex-wrap gap-4">
        <Counted by={check.by_place} of={check.by ?? ""} all={check.objections} />
        <Counted by={check.by_person} of={tr("Last touched by")} all={check.objections} />
      </div>
      {shown.length > 0 && (
        <table className="board plain">
          <thead>
            <tr>
              <th>{tr("Record")}</th>
              {findings[0]!.column && <th>{findings[0]!.column}</th>}
              {findings.some((f) => f.touched_by) && <th>{tr("Last touched by")}</th>}
              <th />
            </tr>
          </thead>
          <tbody>
            {shown.map((f, n) => (
              <tr key={n}>
                <td className="mono">
                  {f.key.length > 0 && rowsOf && run.source !== LEDGER ? (
                    <Link to={recordsAt(rowsOf, f.key)}>{f.title ?? f.key.join(", ")}</Link>
                  ) : (
                    (f.title ?? f.key.join(", "))
                  )}
                </td>
                {findings[0]!.column && (
                  <td className="mono">{f.value ?? <span className="soft">{tr("empty")}</span>}</td>
                )}
                {findings.some((x) => x.touched_by) && <td>{f.touched_by}</td>}
                <td className="text-end">
                  {f.page && /^https?:\/\//i.test(f.page) && (
                    <a href={f.page} target="_blank" rel="noreferrer">
                      {tr("its own page")}
                    </a>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {all && check.objections > findings.length && findings.length > 0 && (
        <div className="soft small mt-1">
          {tr("and {{objections}} more.", { objections: count(check.objections - findings.length) })}
        </div>
      )}
    </section>
  );
}
