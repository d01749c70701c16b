import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api";
import { count } from "../../shared";

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
  if (!known) return <div className="facts soft small">looking at its values…</div>;
  const about = known.exact ? "" : "about ";
  const most = Math.max(1, ...known.histogram.map((b) => b.count));
  const topMost = Math.max(1, ...known.top.map((v) => v.count));
  return (
    <div className="facts">
      <div className="small">
        {about}
        {Math.round(known.fill * 1000) / 10} % filled · {known.distinct_exact ? "" : "about "}
        {count(known.distinct)} different
        {!known.exact && <span className="soft"> · from {count(known.seen)} records</span>}
      </div>
      {known.personal ? (
        <div className="soft small">Its values are personal and not shown here.</div>
      ) : known.histogram.length > 1 ? (
        <>
          <div
            className="histogram"
            role="img"
            aria-label={`Spread from ${known.least} to ${known.greatest}`}
          >
            {known.histogram.map((bar) => (
              <i
                key={bar.least}
                style={{ height: `${Math.max(2, (100 * bar.count) / most)}%` }}
                title={`${bar.least} to ${bar.greatest}: ${count(bar.count)}`}
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
          <ul className="top-values" aria-label="Most frequent values">
            {known.top.slice(0, TOP).map((v) => (
              <li key={v.value}>
                <button
                  type="button"
                  className="btn-link-plain one-line"
                  disabled={!onValue}
                  title={onValue ? `Only ${v.value}` : v.value}
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
