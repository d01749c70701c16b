import type { CheckCount } from "../../api";
import { count } from "../../shared";
import { tr } from "../../i18n";

type Usual = NonNullable<CheckCount["usual"]>;

/** How a column’s numbers are spread: a line from the least to the greatest, what is usual, and the middle half. */
export function Spread({ usual }: { usual: Usual }) {
  const from = Math.min(usual.least, usual.usual_from);
  const width = Math.max(usual.greatest, usual.usual_to) - from || 1;
  const at = (value: number) => (100 * (value - from)) / width;
  const span = (start: number, end: number) => ({
    left: `${at(start)}%`,
    width: `${Math.max(0.8, at(end) - at(start))}%`,
  });
  return (
    <div className="small">
      <div className="spread" aria-hidden>
        <span className="all" style={span(usual.least, usual.greatest)} />
        <span className="usual" style={span(usual.usual_from, usual.usual_to)} />
        <span className="middle" style={span(usual.middle_from, usual.middle_to)} />
      </div>
      <div className="soft">
        {tr(
          "Values from {{least}} to {{greatest}}; half of them lie between {{middle_from}} and {{middle_to}}. Usual is from {{usual_from}} to {{usual_to}}.",
          {
            least: number(usual.least),
            greatest: number(usual.greatest),
            middle_from: number(usual.middle_from),
            middle_to: number(usual.middle_to),
            usual_from: number(usual.usual_from),
            usual_to: number(usual.usual_to),
          },
        )}
      </div>
    </div>
  );
}

function number(value: number): string {
  return Number.isInteger(value) ? count(value) : String(Math.round(value * 100) / 100);
}
