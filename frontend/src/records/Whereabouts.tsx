import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api } from "../api";
import { Trouble, plural, shortMoment } from "../shared";
import { Help } from "../guide";
import { tr } from "../i18n";

const SHOWN = 12;

/** Every file that left with a record: when, what it was called, and to whom it went. */
export function Whereabouts({ name, recordKey }: { name: string; recordKey: string[] }) {
  const gone = useQuery({
    queryKey: ["whereabouts", name, recordKey],
    queryFn: () =>
      answer(
        api.GET("/api/v1/records/{name}/whereabouts", {
          params: { path: { name }, query: { key: recordKey } },
        }),
      ),
  });
  if (!gone.data) return <Trouble error={gone.error} />;
  return (
    <section className="slab" aria-label={tr("Where it has gone")}>
      <h2>
        {tr("Where it has gone")} <Help topic="records#one-record" />
      </h2>
      {gone.data.length === 0 && <p className="soft mb-0">{tr("No file that left holds it.")}</p>}
      <ul className="uses">
        {gone.data.slice(0, SHOWN).map((run) => (
          <li key={run.run_id}>
            <Link to={`/runs/${run.run_id}`}>{run.name}</Link>{" "}
            <span className="soft">
              {tr("{{at}}, asked for by {{asked_by}}{{purpose}}", {
                at: shortMoment(run.at),
                asked_by: run.asked_by,
                purpose: run.purpose && tr(", for {{purpose}}", { purpose: run.purpose }),
              })}
            </span>
            {run.went_to.length > 0 && (
              <div className="soft">{tr("went to {{went_to}}", { went_to: run.went_to.join("; ") })}</div>
            )}
          </li>
        ))}
      </ul>
      {gone.data.length > SHOWN && (
        <p className="soft mb-0">
          {tr("and {{files}} besides", { files: plural(gone.data.length - SHOWN, "file") })}
        </p>
      )}
    </section>
  );
}
