import { useEffect, useState } from "react";
import type { ReactNode } from "react";
import type { Tally as Counts } from "../../api";
import { uncounted } from "../../document/uncounted";
import type { Narrowing } from "../../document/types";
import { count, plural, size } from "../../shared";
import { tr } from "../../i18n";

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
  const about = counts?.about ? tr("about ") : "";
  return (
    <ol className={`tally ${counting || error ? "stale" : ""}`} aria-label={tr("Tally")}>
      {steps.map((step, n) => (
        <li key={`${n}${step.place}`} className="step">
          <div className="n">
            <span>
              {about}
              {count(step.rows)}
            </span>
            {step.left_out > 0 && (
              <Out
                label={tr("{{left_out}} left out by this step{{blank}}", {
                  left_out: plural(step.left_out, "record"),
                  blank: step.blank ? tr(", of which blank: {{blank}}", { blank: count(step.blank) }) : "",
                })}
                onShow={step.kind === "filter" && onLeftOut ? () => onLeftOut(step.place) : undefined}
              >
                −{count(step.left_out)}
                {step.blank > 0 && <> {tr("· blank: {{blank}}", { blank: count(step.blank) })}</>}
              </Out>
            )}
            {step.without !== null && (
              <Out
                quiet={step.without === 0}
                label={tr("{{without}} without any; {{step}}", {
                  without: count(step.without),
                  step: step.words,
                })}
                onShow={step.without > 0 && onLeftOut ? () => onLeftOut("rows") : undefined}
              >
                {tr("{{without}} without any", { without: count(step.without) })}
              </Out>
            )}
          </div>
          <div
            className="l"
            title={
              step.words + (step.blank ? tr(", of which blank: {{blank}}", { blank: count(step.blank) }) : "")
            }
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
            {rows > 0 && columns > 0 && <> {tr("· about {{rows}}", { rows: size(rows * rowBytes) })}</>}
          </div>
        </li>
      )}
      <li className="age" aria-live="polite">
        {error ? (
          <span className="trouble">{uncounted(error)}</span>
        ) : counting ? (
          about ? (
            tr("expected by the source; counting…")
          ) : (
            tr("counting…")
          )
        ) : (
          counts && <Age since={counts.counted_at} />
        )}
        <div>{tr("from {{source}}", { source })}</div>
      </li>
    </ol>
  );
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
    <button type="button" className={look} title={tr("{{label}}. Show them.", { label })} onClick={onShow}>
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
        <span
          key={`lost ${e.path}`}
          title={tr("Of those left out by this step, {{words}}: {{rows}}", {
            words: e.words,
            rows: count(e.rows),
          })}
        >
          −{count(e.rows)} {e.words}
        </span>
      ))}
      {left.map((e) =>
        onLeaveOut && e.leave_out ? (
          <button
            key={e.path}
            type="button"
            title={tr("{{rows}} {{words}}: their cells are blank. Leave them out.", {
              rows: plural(e.rows, "row"),
              words: e.words,
            })}
            onClick={() => e.leave_out && onLeaveOut(e.leave_out)}
          >
            {count(e.rows)} {e.words}
          </button>
        ) : (
          <span
            key={e.path}
            title={tr("{{rows}} {{words}}: their cells are blank", {
              rows: plural(e.rows, "row"),
              words: e.words,
            })}
          >
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
  if (seconds < TICK) return <>{tr("counted just now")}</>;
  return (
    <>
      {tr("counted {{seconds}} ago", {
        seconds: seconds < 90 ? `${seconds} s` : tr("{{seconds}} min", { seconds: Math.round(seconds / 60) }),
      })}
    </>
  );
}
