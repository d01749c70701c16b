import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api } from "../api";
import type { Account } from "../api";
import { Trouble, count, plural } from "../shared";

/** What somebody's rights leave them: records, fields and templates, counted just now. */
export function Leaves({ person }: { person: Account }) {
  const left = useQuery({
    queryKey: ["people", person.id, "leaves"],
    queryFn: () =>
      answer(api.GET("/api/v1/people/{person_id}/leaves", { params: { path: { person_id: person.id } } })),
    staleTime: 0,
  });
  if (left.error) return <Trouble error={left.error} />;
  const types = left.data?.types ?? [];
  const templates = left.data?.templates ?? [];
  const works = templates.filter((t) => t.state === "works").length;
  return (
    <section className="card leaves" aria-label={`What this leaves ${person.name}`}>
      <h2>
        What this leaves {person.name.split(" ")[0]}{" "}
        <span className="soft">{left.isFetching ? "counting…" : "counted just now"}</span>
      </h2>
      <ul>
        {types
          .filter((t) => !t.closed)
          .map((t) => (
            <li key={t.name}>
              <span className="mono">{t.rows === null ? "?" : count(t.rows)}</span>
              {t.rows !== t.of && t.of !== null && (
                <>
                  {" of "}
                  <span className="mono">{count(t.of)}</span>
                </>
              )}{" "}
              {t.label}
              {t.hidden > 0 && <span className="soft">, without {plural(t.hidden, "field")}</span>}
              {t.masked > 0 && <span className="soft">, {t.masked} masked</span>}
            </li>
          ))}
        {types.some((t) => t.closed) && (
          <li className="soft">
            closed:{" "}
            {types
              .filter((t) => t.closed)
              .map((t) => t.label)
              .join(", ")}
          </li>
        )}
      </ul>
      {templates.length > 0 && (
        <p>
          {works} of {plural(templates.length, "template")} work as they are
          {templates
            .filter((t) => t.state !== "works")
            .map((t) => (
              <span key={t.id}>
                {"; "}
                <Link to={`/templates/${t.id}`}>{t.name}</Link>{" "}
                {t.state === "closed" ? "is closed" : `lacks ${plural(t.lacks, "column")}`}
              </span>
            ))}
          .
        </p>
      )}
    </section>
  );
}
