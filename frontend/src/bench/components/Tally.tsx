import { useEffect, useState } from "react";
import type { ReactNode } from "react";
import { ApiError } from "../../api";
import type { Tally as Counts } from "../../api";
import type { Narrowing } from "../types";
import { count, plural, size } from "../../shared";

/** Seconds between two looks at the clock for the age of the count. */
const TICK = 5;

interface Props {
  counts: Counts | undefined;
  error: Error | null;
  counting: boolean;
  columns: number;
  /** Bytes of an average row of the sheet, to say how large the file will be. */
  rowBytes: number;
  source: string;
  /** Show the records that a step leaves out. */
  onLeftOut?: (place: string) => void;
  /** Leave out the rows whose relation to one record leads nowhere. */
  onLeaveOut?: (narrowing: Narrowing) => void;
  /** Editor of the counts per unit, behind the number of rows. */
  perUnit?: ReactNode;
}

/** From all records to the rows that go out: what each narrowing leaves, and how many it leaves out. */
export function Tally({
  counts,
  error,
  counting,
  columns,
  rowBytes,
  source,
  onLeftOut,
  onLeaveOut,
  perUnit,
}: Props) {
  const steps = counts?.steps ?? [];
  const rows = steps.at(-1)?.rows ?? 0;
  const about = counts?.about ? "about " : "";
  return (
    <ol className={`tally ${counting || error ? "stale" : ""}`} aria-label="Tally">
      {steps.map((step, n) => (
        <li key={`${n}${step.place}`} className="step">
          <div className="n">
            <span>
              {about}
              {count(step.rows)}
            </span>
            {step.left_out > 0 && (
              <Out
                label={`${plural(step.left_out, "record")} left out by this step${step.blank ? `, of which blank: ${count(step.blank)}` : ""}`}
                onShow={step.kind === "filter" && onLeftOut ? () => onLeftOut(step.place) : undefined}
              >
                −{count(step.left_out)}
                {step.blank > 0 && <> · blank: {count(step.blank)}</>}
              </Out>
            )}
            {step.without !== null && (
              <Out
                quiet={step.without === 0}
                label={`${count(step.without)} without any; ${step.words}`}
                onShow={step.without > 0 && onLeftOut ? () => onLeftOut("rows") : undefined}
              >
                {count(step.without)} without any
              </Out>
            )}
          </div>
          <div
            className="l"
            title={step.words + (step.blank ? `, of which blank: ${count(step.blank)}` : "")}
          >
            {step.words}
          </div>
          <Nowhere step={step} onLeaveOut={onLeaveOut} />
        </li>
      ))}
      {steps.length > 0 && (
        <li className="last">
          <div className="n">
            <span>
              {about}
              {plural(rows, "row")}
            </span>
          </div>
          <div className="l">
            {perUnit}× {plural(columns, "column")}
            {rows > 0 && columns > 0 && <> · about {size(rows * rowBytes)}</>}
          </div>
        </li>
      )}
      <li className="age" aria-live="polite">
        {error ? (
          <span className="trouble">{wordsOf(error)}</span>
        ) : counting ? (
          about ? (
            "expected by the source; counting…"
          ) : (
            "counting…"
          )
        ) : (
          counts && <Age since={counts.counted_at} />
        )}
        <div>from {source}</div>
      </li>
    </ol>
  );
}

/** Problems that are said in words before the rest is counted. */
const SAID = 2;

/** Why nothing was counted. */
function wordsOf(error: Error): string {
  if (!(error instanceof ApiError)) return "not counted";
  const problems = error.problem.errors ?? [];
  if (problems.length === 0) return error.problem.detail;
  const said = problems.slice(0, SAID).map((p) => p.message);
  return [...said, problems.length > SAID ? `And ${problems.length - SAID} more.` : ""].join(" ").trim();
}

/** A count of what a step leaves out; a click shows the records. */
function Out({
  label,
  quiet,
  onShow,
  children,
}: {
  label: string;
  quiet?: boolean;
  onShow?: () => void;
  children: ReactNode;
}) {
  const look = `out ${quiet ? "none" : ""}`;
  return onShow ? (
    <button type="button" className={look} title={`${label}. Show them.`} onClick={onShow}>
      {children}
    </button>
  ) : (
    <span className={look} title={label}>
      {children}
    </span>
  );
}

/** Rows whose relation to one record leads nowhere: of those the step lost, and of those it leaves. */
function Nowhere({
  step,
  onLeaveOut,
}: {
  step: Counts["steps"][number];
  onLeaveOut?: (narrowing: Narrowing) => void;
}) {
  const lost = step.lost_empty ?? [];
  const left = step.empty ?? [];
  if (lost.length + left.length === 0) return null;
  return (
    <div className="nowhere">
      {lost.map((e) => (
        <span key={`lost ${e.path}`} title={`Of those left out by this step, ${e.words}: ${count(e.rows)}`}>
          −{count(e.rows)} {e.words}
        </span>
      ))}
      {left.map((e) =>
        onLeaveOut && e.leave_out ? (
          <button
            key={e.path}
            type="button"
            title={`${plural(e.rows, "row")} ${e.words}: their cells are blank. Leave them out.`}
            onClick={() => onLeaveOut(e.leave_out as unknown as Narrowing)}
          >
            {count(e.rows)} {e.words}
          </button>
        ) : (
          <span key={e.path} title={`${plural(e.rows, "row")} ${e.words}: their cells are blank`}>
            {count(e.rows)} {e.words}
          </span>
        ),
      )}
    </div>
  );
}

function Age({ since }: { since: string }) {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), TICK * 1000);
    return () => clearInterval(timer);
  }, []);
  const seconds = Math.max(0, Math.round((now - new Date(since).getTime()) / 1000));
  if (seconds < TICK) return <>counted just now</>;
  return <>counted {seconds < 90 ? `${seconds} s` : `${Math.round(seconds / 60)} min`} ago</>;
}
