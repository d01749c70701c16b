import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { answer, api, recordsAt } from "../api";
import type { FieldGroup, ManyWay, RecordTypeFields, Run } from "../api";
import { useRecordType } from "../document/hooks/useFields";
import type { Document } from "../document/types";
import { RunNews } from "../runs";
import { useMay, useShell } from "../shell";
import { Icon, NothingHere, Trouble, capital, count, withUnit, useFormats } from "../shared";
import { TakeMenu } from "./Take";
import type { Takeable } from "./Take";
import { Whereabouts } from "./Whereabouts";
import { onScreen } from "./view";
import { tr } from "../i18n";

/** Fields of one look: wide record types are read in one go all the same. */
const CHILDREN = 12;

/** One record: its fields, what it leads to, the many that belong to it, and where it is used. */
export function RecordPage() {
  const params = useParams();
  const name = params.name ?? "";
  const key = (params["*"] ?? "").split("/").map(decodeURIComponent);
  const type = useRecordType(name);
  if (!type.data) return <NothingHere error={type.error} back="/records" words={tr("Back to the records")} />;
  return <Page key={`${name} ${key.join("/")}`} type={type.data} recordKey={key} />;
}

interface Looked {
  headings: string[];
  rows: (string | null)[][];
  keys: (string | null)[][];
  more: boolean;
}

function useLooked(
  type: RecordTypeFields | undefined,
  document: Document,
  key: string[],
  limit: number,
  enabled = true,
) {
  return useQuery({
    queryKey: ["record", document, key],
    enabled,
    queryFn: async (): Promise<Looked> => {
      const look = await answer(
        api.POST("/api/v1/design/look", {
          body: {
            document: onScreen(document, type),
            limit,
            offset: 0,
            bench: "",
            keys: true,
            only: [key],
          },
        }),
      );
      return {
        headings: look.columns.map((c) => c.heading),
        rows: look.rows,
        keys: look.keys ?? [],
        more: look.more,
      };
    },
  });
}

function Page({ type, recordKey }: { type: RecordTypeFields; recordKey: string[] }) {
  const { record_type: about, groups, many } = type;
  const fields = groups.flatMap((group) =>
    group.fields.filter((f) => f.kind !== "file").map((field) => ({ field, group })),
  );
  const record = useLooked(
    type,
    {
      name: "record",
      records: about.name,
      columns: fields.map(({ field }, n) => ({
        id: `c${n}`,
        heading: field.path,
        value: { field: field.path },
      })),
    },
    recordKey,
    1,
  );
  const values = record.data?.rows[0];
  const valueOf = new Map(fields.map(({ field }, n) => [field.path, values?.[n] ?? null]));
  const title = (about.title && valueOf.get(about.title)) || recordKey.join(", ");
  const direct = many.filter((w) => !w.path.includes("."));
  const mayRun = useMay("run");
  const formats = useFormats();
  const { news } = useShell();
  const [taken, setTaken] = useState<Run | null>(null);
  const run = taken ? (news.runs[taken.id] ?? taken) : undefined;
  const sheet: Document = {
    format: "bouquet-template/1",
    name: `${capital(about.label)} ${title}`.slice(0, 100),
    records: about.name,
    columns: fields.map(({ field, group }, n) => ({
      id: `c${n}`,
      heading: group.path ? `${group.label}: ${field.label}` : field.label,
      value: { field: field.path },
    })),
  };
  const only = [recordKey];
  const whole: Document = {
    ...sheet,
    output: { children: direct.slice(0, 10).map(({ path }) => ({ path })) },
  };
  const offered: Takeable[] = [
    ...formats.map((f) => ({
      words: tr("as {{format}}", { format: f.label }),
      format: f.name,
      document: sheet,
      only,
    })),
    ...(direct.length
      ? [
          {
            words: tr("with all that belongs to it"),
            note: tr("CSV files"),
            format: "csv" as const,
            document: whole,
            only,
          },
        ]
      : []),
  ];
  return (
    <>
      <div className="strip">
        <Link to={recordsAt(about.name)} aria-label={tr("Back to {{about}}", { about: about.plural })}>
          <Icon name="chevronLeft" />
        </Link>
        <h1>{title}</h1>
        <span className="soft">{about.label}</span>
        <span className="fill" />
        {mayRun && values && (
          <TakeMenu
            label={tr("Export this {{about}}", { about: about.label })}
            personal={fields.filter(({ field }) => field.personal).map(({ field }) => field.label)}
            onRun={setTaken}
            offered={offered}
          />
        )}
        {about.link && values && (
          <a className="btn btn-quiet" href={linkOf(about.link, valueOf)} rel="noreferrer">
            {tr("Its page in the source")}
          </a>
        )}
      </div>
      {run && (
        <div className="banner">
          <RunNews run={run} />
        </div>
      )}
      <main className="body record-page">
        <Trouble error={record.error} />
        {record.isSuccess && !values && (
          <div className="nothing slab">
            {tr("There is no such {{about}}, or it is not yours to see.", { about: about.label })}
          </div>
        )}
        {values && (
          <div className="record-columns">
            <div>
              {groups.map((group) => (
                <Facts key={group.path} group={group} valueOf={valueOf} />
              ))}
            </div>
            <div>
              {direct.map((way) => (
                <Children key={way.path} about={about.name} way={way} recordKey={recordKey} />
              ))}
              <Uses name={about.name} recordKey={recordKey} />
              <Whereabouts name={about.name} recordKey={recordKey} />
            </div>
          </div>
        )}
      </main>
    </>
  );
}

/** The fields of the record, or of one it leads to; blanks last and lightly. */
function Facts({ group, valueOf }: { group: FieldGroup; valueOf: Map<string, string | null> }) {
  const shown = group.fields.filter((f) => f.kind !== "file");
  const filled = shown.filter((f) => valueOf.get(f.path));
  const blank = shown.filter((f) => !valueOf.get(f.path) && !f.retired);
  if (group.path && filled.length === 0) return null;
  return (
    <section className="slab" aria-label={group.label}>
      <h2>{group.label}</h2>
      <dl className="record-facts">
        {filled.map((f) => (
          <div key={f.path} title={f.meaning}>
            <dt>
              {f.label}
              {f.retired && <span className="soft"> {tr("(retired)")}</span>}
            </dt>
            <dd className="mono">{withUnit(valueOf.get(f.path)!, f.unit)}</dd>
          </div>
        ))}
      </dl>
      {blank.length > 0 && (
        <p className="soft small mb-0">
          {tr("Empty: {{blank}}", { blank: blank.map((f) => f.label).join(", ") })}
        </p>
      )}
    </section>
  );
}

function Children({ about, way, recordKey }: { about: string; way: ManyWay; recordKey: string[] }) {
  const type = useRecordType(way.records);
  const own = type.data?.groups[0]?.fields ?? [];
  const chosen = own.filter((f) => f.everyday && f.kind !== "file" && !f.personal).slice(0, 4);
  const shown = chosen.length ? chosen : own.filter((f) => f.kind !== "file").slice(0, 4);
  const found = useLooked(
    type.data,
    {
      name: "children",
      records: about,
      rows: { per: "child", path: way.path },
      columns: shown.map((f, n) => ({
        id: `c${n}`,
        heading: f.label,
        value: { field: `${way.path}.${f.path}` },
      })),
    },
    recordKey,
    CHILDREN,
    type.data !== undefined && shown.length > 0,
  );
  const rows = found.data?.rows ?? [];
  if (!found.data || rows.length === 0) return null;
  return (
    <section className="slab" aria-label={way.label}>
      <h2>
        {way.label}{" "}
        <span className="soft">
          {found.data.more ? tr("the first {{rows}}", { rows: count(rows.length) }) : count(rows.length)}
        </span>
      </h2>
      <table className="grid small-grid">
        <thead>
          <tr>
            {found.data.headings.map((h) => (
              <th key={h}>{h}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, n) => (
            <tr key={n}>
              {row.map((v, k) => (
                <td key={k} className="mono">
                  {k === 0 && found.data.keys[n]?.every((p) => p !== null) ? (
                    <Link to={recordsAt(way.records, found.data.keys[n])}>{v ?? tr("open")}</Link>
                  ) : (
                    (v ?? <span className="soft">{tr("empty")}</span>)
                  )}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** The saved lists that hold it, and for each template of its type whether it is in, or what stopped it. */
function Uses({ name, recordKey }: { name: string; recordKey: string[] }) {
  const uses = useQuery({
    queryKey: ["uses", name, recordKey],
    queryFn: () =>
      answer(
        api.GET("/api/v1/records/{name}/uses", { params: { path: { name }, query: { key: recordKey } } }),
      ),
  });
  if (!uses.data) return <Trouble error={uses.error} />;
  return (
    <section className="slab" aria-label={tr("Where it is used")}>
      <h2>{tr("Where it is used")}</h2>
      {uses.data.picks.length > 0 && (
        <p className="mb-1">{tr("In the lists: {{picks}}", { picks: uses.data.picks.join(", ") })}</p>
      )}
      {uses.data.templates.length === 0 && (
        <p className="soft mb-0">{tr("No template is of {{name}} records.", { name })}</p>
      )}
      <ul className="uses">
        {uses.data.templates.map((t) => (
          <li key={t.template_id}>
            <Icon name={t.is_in ? "check" : "x"} label={t.is_in ? tr("in") : tr("not in")} />{" "}
            <Link to={`/templates/${t.template_id}`}>{t.name}</Link>
            {!t.is_in && (
              <span className="soft">
                {" "}
                {t.is_in === null
                  ? tr("cannot be told")
                  : tr("stopped by: {{stopped_by}}", { stopped_by: t.stopped_by })}
              </span>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function linkOf(pattern: string, valueOf: Map<string, string | null>): string {
  return pattern.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(valueOf.get(name) ?? ""));
}
