import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api } from "../api";
import type { Account } from "../api";
import { Trouble, count, plural } from "../shared";
import { tr } from "../i18n";

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
    <section className="card leaves" aria-label={tr("What this leaves {{person}}", { person: person.name })}>
      <h2>
        {tr("What this leaves {{value}}", { value: person.name.split(" ")[0] })}{" "}
        <span className="soft">{left.isFetching ? tr("counting…") : tr("counted just now")}</span>
      </h2>
      <ul>
        {types
          .filter((t) => !t.closed)
          .map((t) => (
            <li key={t.name}>
              <span className="mono">{t.rows === null ? "?" : count(t.rows)}</span>
              {t.rows !== t.of && t.of !== null && (
                <>
                  {" "}
                  {tr("of")} <span className="mono">{count(t.of)}</span>
                </>
              )}{" "}
              {t.label}
              {t.hidden > 0 && (
                <span className="soft">
                  {tr(", without {{hidden}}", { hidden: plural(t.hidden, "field") })}
                </span>
              )}
              {t.masked > 0 && (
                <span className="soft">{tr(", {{masked}} masked", { masked: t.masked })}</span>
              )}
            </li>
          ))}
        {types.some((t) => t.closed) && (
          <li className="soft">
            {tr("closed: {{types}}", {
              types: types
                .filter((t) => t.closed)
                .map((t) => t.label)
                .join(", "),
            })}
          </li>
        )}
      </ul>
      {templates.length > 0 && (
        <p>
          {tr("{{works}} of {{templates}} work as they are", {
            works,
            templates: plural(templates.length, "template"),
          })}
          {templates
            .filter((t) => t.state !== "works")
            .map((t) => (
              <span key={t.id}>
                {"; "}
                <Link to={`/templates/${t.id}`}>{t.name}</Link>{" "}
                {t.state === "closed"
                  ? tr("is closed")
                  : tr("lacks {{lacks}}", { lacks: plural(t.lacks, "column") })}
              </span>
            ))}
          .
        </p>
      )}
    </section>
  );
}
