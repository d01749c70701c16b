import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import { answer, api, resources, useSource } from "../api";
import type { Broken, Missing, RecordType } from "../api";
import { Icon, Trouble, plural } from "../shared";
import { tr } from "../i18n";

/** What the source no longer gives, and taking something else for it everywhere. */
export function Drift() {
  const source = useSource();
  const found = useQuery({
    queryKey: ["catalogue", source, "drift"],
    queryFn: () => answer(api.GET("/api/v1/catalogue/drift")),
  });
  const broken = found.data?.broken ?? [];
  if (broken.length === 0) return <Trouble error={found.error} />;
  const missing = new Map<string, { missing: Missing; templates: Broken[] }>();
  for (const b of broken) {
    for (const m of b.missing) {
      const key = `${m.records}.${m.name}`;
      const known = missing.get(key) ?? { missing: m, templates: [] };
      missing.set(key, { ...known, templates: [...known.templates, b] });
    }
  }
  return (
    <section className="slab drift" aria-label={tr("What the source no longer gives")}>
      <h2>
        <Icon name="exclamation" />{" "}
        {tr("The source changed: {{broken}}", {
          broken:
            broken.length === 1
              ? tr("1 template does not get what it asks for")
              : tr("{{broken}} templates do not get what they ask for", { broken: broken.length }),
        })}
      </h2>
      <ul>
        {[...missing].map(([key, entry]) => (
          <Replace key={key} {...entry} />
        ))}
      </ul>
    </section>
  );
}

function Replace({ missing, templates }: { missing: Missing; templates: Broken[] }) {
  const client = useQueryClient();
  const [chosen, setChosen] = useState(missing.candidates[0] ?? "");
  const types = useQuery({ ...resources.recordTypes(), enabled: missing.name === "" });
  const fields = useQuery(resources.recordType(missing.name ? missing.records : ""));
  const names = missing.name
    ? [
        ...(fields.data?.groups[0]?.fields.map((f) => f.path) ?? []),
        ...(fields.data?.groups.slice(1).flatMap((g) => (g.path.includes(".") ? [] : [g.path])) ?? []),
      ]
    : (types.data ?? []).map((t: RecordType) => t.name);
  const options = [...new Set([...missing.candidates, ...names])];
  const replace = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/catalogue/replace", {
          body: { records: missing.records, name: missing.name, new: chosen },
        }),
      ),
    onSuccess: () => void client.invalidateQueries(),
  });
  const paused = templates.reduce((sum, t) => sum + t.paused, 0);
  const what = missing.name ? `${missing.records}.${missing.name}` : missing.records;
  return (
    <li>
      <strong className="mono">{what}</strong>
      <span>
        {tr("used by")}{" "}
        {templates.map((t, n) => (
          <span key={t.template_id}>
            {n > 0 && ", "}
            <Link to={`/templates/${t.template_id}`}>{t.template}</Link>
          </span>
        ))}
        {paused > 0 && <> {tr("· {{paused}} paused", { paused: plural(paused, "round") })}</>}
      </span>
      <Form.Select
        size="sm"
        aria-label={tr("What to take for {{what}}", { what })}
        value={chosen}
        onChange={(e) => setChosen(e.target.value)}
      >
        {!chosen && <option value="">{tr("choose what to take")}</option>}
        {options.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </Form.Select>
      <Button size="sm" disabled={!chosen || replace.isPending} onClick={() => replace.mutate()}>
        {tr("Take it everywhere")}
      </Button>
      <Trouble error={replace.error} />
    </li>
  );
}
