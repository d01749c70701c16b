import type { PastRun } from "../api";
import { exact } from "../shared";
import { tr } from "../i18n";

/** A small line of a column's totals, or of its filled share, over the last runs. */
export function Trend({ heading, past, total }: { heading: string; past: PastRun[]; total: boolean }) {
  const values = past.map((p) => {
    const column = p.columns.find((c) => c.heading === heading);
    if (!column) return null;
    return total ? Number(column.total ?? 0) : p.rows ? 1 - column.blanks / p.rows : null;
  });
  const known = values.filter((v): v is number => v !== null);
  if (known.length < 2) return null;
  const least = Math.min(...known);
  const span = Math.max(...known) - least || 1;
  const points = values
    .map((v, n) =>
      v === null ? null : `${(58 * n) / (values.length - 1) + 1},${15 - (13 * (v - least)) / span}`,
    )
    .filter(Boolean)
    .join(" ");
  const said = total
    ? tr("totals from {{least}} to {{least2}}", {
        least: exact(String(least)),
        least2: exact(String(least + span)),
      })
    : tr("share that is filled");
  return (
    <svg className="trend" width="60" height="17" role="img" aria-label={`${heading}: ${said}`}>
      <polyline points={points} />
    </svg>
  );
}
