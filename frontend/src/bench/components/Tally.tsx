import { useEffect, useState } from "react";
import { ApiError } from "../../api";
import type { Tally as Counts } from "../../api";
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
}

/** From all records to the rows that go out: what each narrowing leaves, and how many it leaves out. */
export function Tally({ counts, error, counting, columns, rowBytes, source }: Props) {
  const steps = counts?.steps ?? [];
  const rows = steps.at(-1)?.rows ?? 0;
  return (
    <ol className={`tally ${counting || error ? "stale" : ""}`} aria-label="Tally">
      {steps.map((step, n) => (
        <li key={`${n}${step.place}`} className="step">
          <div className="n">
            {count(step.rows)}
            {step.left_out > 0 && (
              <span
                className="out"
                title={`${plural(step.left_out, "record")} left out by this step${step.blank ? `, of which blank: ${count(step.blank)}` : ""}`}
              >
                −{count(step.left_out)}
                {step.blank > 0 && <> · blank: {count(step.blank)}</>}
              </span>
            )}
            {step.kind === "open" && step.without !== null && (
              <span className={step.without ? "out" : "out none"} title={step.words}>
                {count(step.without)} without any
              </span>
            )}
          </div>
          <div
            className="l"
            title={step.words + (step.blank ? `, of which blank: ${count(step.blank)}` : "")}
          >
            {step.words}
          </div>
        </li>
      ))}
      {steps.length > 0 && (
        <li className="last">
          <div className="n">{plural(rows, "row")}</div>
          <div className="l">
            × {plural(columns, "column")}
            {rows > 0 && columns > 0 && <> · about {size(rows * rowBytes)}</>}
          </div>
        </li>
      )}
      <li className="age" aria-live="polite">
        {error ? (
          <span className="trouble">{error instanceof ApiError ? error.problem.detail : "not counted"}</span>
        ) : counting ? (
          "counting…"
        ) : (
          counts && <Age since={counts.counted_at} />
        )}
        <div>from {source}</div>
      </li>
    </ol>
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
