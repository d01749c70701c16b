import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api";
import { count, plural } from "../../shared";
import { tr } from "../../i18n";

/** Bars shown of the most frequent values. */
const TOP = 6;

interface Props {
  records: string;
  field: string;
  /** Narrow to a value of the field, by the value as it is shown. */
  onValue?: (value: string) => void;
}

/** A field's values at a glance: how full, how many different, the spread or the most frequent. */
export function ColumnFacts({ records, field, onValue }: Props) {
  const facts = useQuery({
    queryKey: ["facts", records, field],
    queryFn: () =>
      answer(
        api.GET("/api/v1/record-types/{name}/facts/{field}", { params: { path: { name: records, field } } }),
      ),
    staleTime: 600_000,
  });
  const known = facts.data;
  if (facts.error) return null;
  if (!known) return <div className="facts soft small">{tr("looking at its values…")}</div>;
  const about = known.exact ? "" : tr("about ");
  const most = Math.max(1, ...known.histogram.map((b) => b.count));
  const topMost = Math.max(1, ...known.top.map((v) => v.count));
  return (
    <div className="facts">
      <div className="small">
        {tr("{{about}}{{fill}} % filled · {{distinct_exact}}{{distinct}} different", {
          about,
          fill: Math.round(known.fill * 1000) / 10,
          distinct_exact: known.distinct_exact ? "" : tr("about "),
          distinct: count(known.distinct),
        })}
        {!known.exact && (
          <span className="soft"> {tr("· from {{records}}", { records: plural(known.seen, "record") })}</span>
        )}
      </div>
      {known.personal ? (
        <div className="soft small">{tr("Its values are personal and not shown here.")}</div>
      ) : known.histogram.length > 1 ? (
        <>
          <div
            className="histogram"
            role="img"
            aria-label={tr("Spread from {{least}} to {{greatest}}", {
              least: known.least,
              greatest: known.greatest,
            })}
          >
            {known.histogram.map((bar) => (
              <i
                key={bar.least}
                style={{ height: `${Math.max(2, (100 * bar.count) / most)}%` }}
                title={tr("{{least}} to {{greatest}}: {{number}}", {
                  least: bar.least,
                  greatest: bar.greatest,
                  number: count(bar.count),
                })}
              />
            ))}
          </div>
          <div className="d-flex justify-content-between soft small mono">
            <span>{known.least}</span>
            <span>{known.greatest}</span>
          </div>
        </>
      ) : (
        known.top.length > 0 &&
        known.top[0]!.count > 1 && (
          <ul className="top-values" aria-label={tr("Most frequent values")}>
            {known.top.slice(0, TOP).map((v) => (
              <li key={v.value}>
                <button
                  type="button"
                  className="btn-link-plain one-line"
                  disabled={!onValue}
                  title={onValue ? tr("Only {{value}}", { value: v.value }) : v.value}
                  onClick={() => onValue?.(v.value)}
                >
                  {v.value}
                </button>
                <span className="bar">
                  <i style={{ width: `${(100 * v.count) / topMost}%` }} />
                </span>
                <span className="mono soft">{count(v.count)}</span>
              </li>
            ))}
          </ul>
        )
      )}
    </div>
  );
}
