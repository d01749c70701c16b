import { Button } from "react-bootstrap";
import type { FieldGroup, FieldInfo, Look, Problem, RecordType, WayOut } from "../../api";
import { Icon, capital, plural } from "../../shared";
import type { Check } from "../checks";
import { openedPaths, ruleOf } from "../rows";
import type { Document } from "../types";
import { CheckRules } from "./CheckRules";

/** Columns beyond which a file is wide, and the share of filled records below which a column is mostly empty. */
const WIDE = 60;
const MOSTLY_EMPTY = 0.1;

interface Props {
  document: Document;
  templateId: number;
  look: Look | undefined;
  problems: Problem[];
  recordType: RecordType | undefined;
  byPath: Map<string, { field: FieldInfo; group: FieldGroup }>;
  editable: boolean;
  onShow: (problem: Problem) => void;
  onCure: (way: WayOut) => void;
  onChecks: (checks: Check[]) => void;
  onAdd: (field: FieldInfo, group: FieldGroup) => void;
  /** Run it on the newest record only; not given where it cannot be run. */
  onTry?: () => void;
}

/** What stands in the way of a run, what is worth a look before the file leaves, and what is not in it. */
export function ChecksTab(props: Props) {
  const { document, look, problems, editable, onShow, onCure } = props;
  const notes = look?.notes ?? [];
  const advice = adviceOn(props);
  return (
    <div className="checks">
      <CheckRules
        document={document}
        templateId={props.templateId}
        look={look}
        problems={problems}
        editable={editable}
        rowsOf={ruleOf(document).per === "record" ? document.records : undefined}
        onChecks={props.onChecks}
      />
      {problems.length === 0 && notes.length === 0 && advice.length === 0 && (
        <div className="nothing">
          <Icon name="check" /> Nothing speaks against this file.
        </div>
      )}
      {problems.length > 0 && <h3>To put right before a run</h3>}
      {problems.map((p) => (
        <Finding
          key={p.place + p.message}
          problem={p}
          kind="wrong"
          editable={editable}
          onShow={onShow}
          onCure={onCure}
        />
      ))}
      {notes.length > 0 && <h3>Notes</h3>}
      {notes.map((p) => (
        <Finding
          key={p.place + p.message}
          problem={p}
          kind="note"
          editable={editable}
          onShow={onShow}
          onCure={onCure}
        />
      ))}
      {advice.length > 0 && <h3>Before it leaves</h3>}
      {advice.map((a) => (
        <div key={a.words} className="finding note">
          <Icon name={a.icon ?? "eye"} />{" "}
          <div>
            {a.words}
            {a.act && editable && (
              <div className="mt-1">
                <Button variant="quiet" size="sm" onClick={a.act.do}>
                  {a.act.label}
                </Button>
              </div>
            )}
          </div>
        </div>
      ))}
      {props.onTry && (
        <div className="finding">
          <Icon name="play" />
          <div>
            Try it first: a file with the newest {props.recordType?.label ?? "record"} only, to show how it
            will look.
            <div className="mt-1">
              <Button variant="quiet" size="sm" onClick={props.onTry}>
                Run on the newest only
              </Button>
            </div>
          </div>
        </div>
      )}
      <h3>Not in this file</h3>
      <p className="soft small px-1">{notIncluded(document, props)}</p>
    </div>
  );
}

function Finding({
  problem,
  kind,
  editable,
  onShow,
  onCure,
}: {
  problem: Problem;
  kind: "wrong" | "note";
  editable: boolean;
  onShow: (problem: Problem) => void;
  onCure: (way: WayOut) => void;
}) {
  const ways = (problem.ways_out ?? []).filter((w) => w.place);
  return (
    <div className={`finding ${kind}`}>
      <Icon name="exclamation" label={kind === "wrong" ? "wrong" : "note"} />
      <div>
        {problem.message}
        <div className="d-flex gap-2 flex-wrap mt-1">
          {editable &&
            ways.map((w) => (
              <Button key={w.label} variant="quiet" size="sm" onClick={() => onCure(w)}>
                {w.label}
              </Button>
            ))}
          <button type="button" className="btn-link-plain small" onClick={() => onShow(problem)}>
            show
          </button>
        </div>
      </div>
    </div>
  );
}

interface Advice {
  words: string;
  icon?: "shield" | "eye" | "key";
  act?: { label: string; do: () => void };
}

/** What people found out too late: raw headings, no identifier, empty columns, very wide files, personal data. */
function adviceOn({ document, byPath, recordType, onAdd }: Props): Advice[] {
  const columns = document.columns ?? [];
  const fields = columns.flatMap((c) =>
    "field" in c.value ? [{ column: c, ...byPath.get(c.value.field) }] : [],
  );
  const found: Advice[] = [];
  const raw = fields.filter(
    ({ column, field }) =>
      field &&
      (column.heading === field.column.split(".").at(-1) || /^[a-z]+_[a-z_0-9]+$/.test(column.heading)),
  );
  if (raw.length)
    found.push({
      words: `${list(raw.map((r) => r.column.heading))}: a technical name stands as the heading. Readers may not know it.`,
    });
  const opened = openedPaths(document).at(-1);
  const title = recordType?.title ?? recordType?.key[0];
  const has = (path: string | undefined | null) =>
    path && columns.some((c) => "field" in c.value && c.value.field === path);
  const keyed = !title || has(title) || recordType?.key.every(has);
  const known = title ? byPath.get(title) : undefined;
  if (ruleOf(document).per !== "group" && columns.length > 0 && !keyed && known)
    found.push({
      icon: "key",
      words: `No column names the ${recordType?.label}: from a wrong row nobody finds back to it${opened ? ", and rows of one cannot be told from another's" : ""}.`,
      act: { label: `Add ${known.field.label}`, do: () => onAdd(known.field, known.group) },
    });
  const empty = fields.filter(({ field }) => field && field.fill !== null && field.fill < MOSTLY_EMPTY);
  if (empty.length)
    found.push({ words: `${list(empty.map((e) => e.column.heading))}: mostly empty in the source.` });
  if (columns.length > WIDE)
    found.push({
      words: `${columns.length} columns are more than most people can read. Only those that somebody needs?`,
    });
  const personal = fields.filter(({ field }) => field?.personal);
  if (personal.length)
    found.push({
      icon: "shield",
      words: `Personal data leaves the house: ${list(personal.map((p) => p.column.heading))}. Whoever runs it says what for.`,
    });
  const retired = fields.filter(({ field }) => field?.retired);
  for (const { column, field } of retired)
    found.push({
      words: `${column.heading} is retired: ${field!.retired}${field!.substitute ? ` Take ${field!.substitute} instead.` : ""}`,
    });
  if (document.output?.csv?.heading_row === "none")
    found.push({
      words: "The file has no heading row: whoever opens it must know the columns by their places.",
    });
  return found;
}

function notIncluded(document: Document, { byPath, recordType }: Props): string {
  const used = new Set((document.columns ?? []).flatMap((c) => ("field" in c.value ? [c.value.field] : [])));
  const own = [...byPath.values()].filter(
    ({ field, group }) => !group.path && field.everyday && !used.has(field.path),
  );
  const parts = [];
  if (own.length)
    parts.push(
      `everyday fields of the ${recordType?.label ?? "record"} without a column: ${list(
        own.map(({ field }) => field.label),
        8,
      )}`,
    );
  parts.push("photographs and other attachments, which a text or spreadsheet file cannot hold");
  const said = parts.join("; ");
  return `${capital(said)}.`;
}

function list(names: string[], most = 4): string {
  const shown = names.slice(0, most).join(", ");
  return names.length > most ? `${shown} and ${plural(names.length - most, "other")}` : shown;
}
