import type { SheetColumn } from "../../api";
import { count } from "../../shared";
import { numberShown } from "../shown";
import type { Show } from "../../document/types";
import { tr } from "../../i18n";

/** Bars that are drawn, of the first rows. */
const MOST = 20;

interface Props {
  /** The columns of the sheet, and its rows as the file shows them. */
  columns: SheetColumn[];
  rows: (string | null)[][];
  /** Which column is drawn, and how it is shown. */
  place: number;
  show: Show;
}

/** What the rows of a grouped template say of one number, as bars: at a glance, what is large, small or odd. */
export function GroupChart({ columns, rows, place, show }: Props) {
  const named = columns.flatMap((c, n) => (NUMBERS.includes(c.kind) ? [] : [n])).slice(0, 2);
  const bars = rows.slice(0, MOST).map((row) => ({
    // Of two levels the outer one is said once, above the first of its rows.
    outer: named.length > 1 ? row[named[0]!] || "(blank)" : "",
    name: named.length > 0 ? row[named.at(-1)!] || "(blank)" : "all",
    text: row[place] ?? "",
    value: numberShown(row[place] ?? null, show),
  }));
  const values = bars.flatMap((b) => (b.value === null ? [] : [b.value]));
  if (values.length < 2) return null;
  const least = Math.min(0, ...values);
  const wide = Math.max(0, ...values) - least || 1;
  return (
    <figure className="group-chart">
      <figcaption className="soft small">
        {rows.length > MOST
          ? tr("The first {{most}} rows", { most: count(MOST) })
          : tr("The rows, as far as they were looked at")}
      </figcaption>
      <ul>
        {bars.map((bar, n) => (
          <li key={n}>
            {bar.outer !== (bars[n - 1]?.outer ?? "") && <b>{bar.outer}</b>}
            <span className="one-line" title={bar.name}>
              {bar.name}
            </span>
            <span className="bar" aria-hidden>
              {bar.value !== null && (
                <i
                  className={bar.value < 0 ? "below" : ""}
                  style={{
                    left: `${(100 * (Math.min(0, bar.value) - least)) / wide}%`,
                    width: `${Math.max(0.5, (100 * Math.abs(bar.value)) / wide)}%`,
                  }}
                />
              )}
            </span>
            <span className="mono">{bar.text || tr("empty")}</span>
          </li>
        ))}
      </ul>
    </figure>
  );
}

const NUMBERS = ["integer", "decimal"];
