import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Button } from "react-bootstrap";
import { Link, useSearchParams } from "react-router";
import { ApiError, fileAddress, giveBack } from "../api";
import type { GivenBackInfo } from "../api";
import { Icon, Trouble, count, plural } from "../shared";
import { Help } from "../guide";
import { tr } from "../i18n";

const STATES = {
  change: [tr("could be taken over"), tr("changed by the person, untouched at the source since")],
  conflict: [tr("in conflict"), tr("changed at the source since, to something else")],
  impossible: [tr("not possible"), tr("for the reason beside each")],
  unknown: ["unknown", tr("no record of the run has this key")],
} as const;

type State = keyof typeof STATES;

/** A file that a run made and a person edited: what was changed, and what of it could be taken over. */
export function GivenBack() {
  const [params] = useSearchParams();
  const [over, setOver] = useState(false);
  const [file, setFile] = useState<File | null>(null);
  const [run, setRun] = useState(params.get("run") ?? "");
  const input = useRef<HTMLInputElement>(null);
  const check = useMutation({ mutationFn: (given: File) => giveBack(given, run ? Number(run) : null) });
  const take = (given: File | undefined) => {
    if (!given) return;
    setFile(given);
    check.mutate(given);
  };
  const unknownRun = check.error instanceof ApiError && check.error.problem.status === 422;
  return (
    <>
      <div className="strip">
        <Link to="/runs" aria-label={tr("Back to the runs")}>
          <Icon name="chevronLeft" />
        </Link>
        <h1>{tr("A file given back")}</h1>
        <Help topic="given-back#what-a-changed-cell-can-be" />
        {file && <span className="tag mono">{file.name}</span>}
        <span className="fill" />
        {check.data && (
          <Button variant="quiet" onClick={() => input.current?.click()}>
            {tr("Another file")}
          </Button>
        )}
      </div>
      <main className="body">
        <input
          ref={input}
          type="file"
          className="visually-hidden"
          tabIndex={-1}
          aria-label={tr("The file")}
          accept=".csv,.xlsx,.jsonl,.txt"
          onChange={(e) => {
            take(e.target.files?.[0]);
            e.target.value = "";
          }}
        />
        {!check.data && (
          <div
            className={`drop-file ${over ? "over" : ""}`}
            onDragOver={(e) => {
              e.preventDefault();
              setOver(true);
            }}
            onDragLeave={() => setOver(false)}
            onDrop={(e) => {
              e.preventDefault();
              setOver(false);
              take(e.dataTransfer.files[0]);
            }}
          >
            <p>
              {tr(
                "Somebody edited a CSV or spreadsheet that a run made? Drop it here. Every cell is laid beside the run it comes from and beside the records as they are now. Bouquet changes no record: you get a list of changes for whoever keeps them.",
              )}
            </p>
            <Button disabled={check.isPending} onClick={() => input.current?.click()}>
              {check.isPending ? tr("Checking…") : tr("Choose a file")}
            </Button>
            <label className="ms-3">
              {tr("of run")}{" "}
              <input
                className="form-control d-inline-block mono"
                style={{ width: 90 }}
                inputMode="numeric"
                placeholder={tr("any")}
                value={run}
                onChange={(e) => setRun(e.target.value.replace(/\D/g, ""))}
              />
            </label>
            <Trouble error={check.error} />
            {unknownRun && file && run && (
              <Button variant="quiet" className="mt-2" onClick={() => check.mutate(file)}>
                {tr("Check it against run {{run}}", { run })}
              </Button>
            )}
          </div>
        )}
        {check.data && <Result found={check.data} />}
      </main>
    </>
  );
}

function Result({ found }: { found: GivenBackInfo }) {
  const [state, setState] = useState<State | null>(null);
  const counts: Record<State, number> = {
    change: found.changes,
    conflict: found.conflicts,
    impossible: found.impossible,
    unknown: found.unknown,
  };
  const all = Object.values(counts).reduce((a, b) => a + b, 0);
  const shown = found.listed.filter((c) => !state || c.state === state);
  const editable = found.columns.filter((c) => c.allowed);
  return (
    <div className="given-back">
      <section className="slab">
        <p className="mb-2">
          {tr("It comes from")}{" "}
          <Link to={`/runs/${found.run.id}`}>
            {tr("run {{id}}, {{run}}", { id: found.run.id, run: found.run.name })}
          </Link>{" "}
          {tr("(told {{recognised}}). {{rows}}, told apart by {{key}}; {{same}} as they were.", {
            recognised: found.recognised,
            rows: plural(found.rows, "row"),
            key: found.key.join(tr(" and ")),
            same: count(found.same),
          })}
          {found.left_out > 0 && (
            <>
              {" "}
              {tr("{{rows}} of the run are not in it, which changes nothing.", {
                rows: plural(found.left_out, "row"),
                count: found.left_out,
              })}
            </>
          )}
          {found.taken > 0 && (
            <> {tr("{{taken}} already stand so at the source.", { taken: plural(found.taken, "cell") })}</>
          )}
        </p>
        <div className="against-counts">
          {(Object.keys(STATES) as State[]).map((name) => (
            <button
              key={name}
              type="button"
              className={`count-chip is-${name}`}
              title={STATES[name][1]}
              aria-pressed={state === name}
              disabled={counts[name] === 0}
              onClick={() => setState(state === name ? null : name)}
            >
              <b>{count(counts[name])}</b> {STATES[name][0]}
            </button>
          ))}
          <span className="fill" />
          {found.files.map((f) => (
            <a key={f.id} href={fileAddress(found.run.id, f.id)} download>
              <Icon name="download" />{" "}
              {tr("the list as {{value}}", { value: f.name.endsWith(".csv") ? tr("CSV") : tr("JSON") })}
            </a>
          ))}
        </div>
        {editable.length === 0 ? (
          <div className="small">
            <Icon name="exclamation" />{" "}
            {tr(
              "No column of the template is marked as editable, so nothing can be taken over. Mark columns on the bench, under",
            )}{" "}
            <b>{tr("This column")}</b>.
          </div>
        ) : (
          <div className="soft small">
            {tr("Editable: {{editable}}.", { editable: editable.map((c) => c.heading).join(", ") })}
          </div>
        )}
        {found.missing_columns.length > 0 && (
          <div className="soft small">
            {tr("Not in the file: {{missing_columns}}.", {
              missing_columns: found.missing_columns.join(", "),
            })}
          </div>
        )}
        {found.new_columns.length > 0 && (
          <div className="soft small">
            {tr("Only in the file, and not looked at: {{new_columns}}.", {
              new_columns: found.new_columns.join(", "),
            })}
          </div>
        )}
      </section>
      {all === 0 ? (
        <div className="nothing slab">
          <Icon name="check" /> {tr("Nothing was changed.")}
        </div>
      ) : (
        <table className="board">
          <thead>
            <tr>
              <th>{found.key.join(", ")}</th>
              <th>{tr("Column")}</th>
              <th>{tr("As it was")}</th>
              <th>{tr("As given back")}</th>
              <th>{tr("As it is now")}</th>
              <th>{tr("What becomes of it")}</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((c, n) => (
              <tr key={n} className="given">
                <td className="mono">{c.key.join(", ")}</td>
                <td>{c.column}</td>
                <td className="mono">{c.column && (c.before ?? <Empty />)}</td>
                <td className="mono fw-bold">{c.column && (c.given ?? <Empty />)}</td>
                <td className="mono">{c.column && (c.now ?? <Empty />)}</td>
                <td>
                  <span className={`count-chip is-${c.state}`}>{STATES[c.state][0]}</span>{" "}
                  <span className="soft small">{c.reason}</span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {shown.length < (state ? counts[state] : all) && (
        <div className="soft small mt-1">
          {tr("The first {{shown}}; the lists hold them all.", { shown: count(shown.length) })}
        </div>
      )}
    </div>
  );
}

function Empty() {
  return <span className="soft">{tr("empty")}</span>;
}
