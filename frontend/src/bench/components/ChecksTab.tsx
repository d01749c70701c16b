import { Button } from "react-bootstrap";
import type { FieldGroup, FieldInfo, Look, ManyWay, Problem, RecordType, WayOut } from "../../api";
import { Icon, capital, plural } from "../../shared";
import type { Check } from "../checks";
import { openedPaths, ruleOf } from "../../document/rows";
import type { Document } from "../../document/types";
import { CheckRules } from "./CheckRules";
import { tr } from "../../i18n";

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
  many: ManyWay[];
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
  const missed = notIncluded(document, props);
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
          <Icon name="check" /> {tr("Nothing speaks against this file.")}
        </div>
      )}
      {problems.length > 0 && <h3>{tr("To put right before a run")}</h3>}
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
      {notes.length > 0 && <h3>{tr("Notes")}</h3>}
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
      {advice.length > 0 && <h3>{tr("Before it leaves")}</h3>}
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
            {tr("Try it first: a file with the newest {{recordType}} only, to show how it will look.", {
              recordType: props.recordType?.label ?? tr("record"),
            })}
            <div className="mt-1">
              <Button variant="quiet" size="sm" onClick={props.onTry}>
                {tr("Run on the newest only")}
              </Button>
            </div>
          </div>
        </div>
      )}
      {missed && (
        <>
          <h3>{tr("Not in this file")}</h3>
          <p className="soft small px-1">{missed}</p>
        </>
      )}
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
      <Icon name="exclamation" label={kind === "wrong" ? tr("wrong") : tr("note")} />
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
            {tr("show")}
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
      words: tr("{{raw}}: a technical name stands as the heading. Readers may not know it.", {
        raw: list(raw.map((r) => r.column.heading)),
      }),
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
      words: tr("No column names the {{recordType}}: from a wrong row nobody finds back to it{{opened}}.", {
        recordType: recordType?.label,
        opened: opened ? tr(", and rows of one cannot be told from another's") : "",
      }),
      act: {
        label: tr("Add {{label}}", { label: known.field.label }),
        do: () => onAdd(known.field, known.group),
      },
    });
  const empty = fields.filter(({ field }) => field && field.fill !== null && field.fill < MOSTLY_EMPTY);
  if (empty.length)
    found.push({
      words: tr("{{empty}}: mostly empty in the source.", {
        empty: list(empty.map((e) => e.column.heading)),
      }),
    });
  if (columns.length > WIDE)
    found.push({
      words: tr("{{columns}} columns are more than most people can read. Only those that somebody needs?", {
        columns: columns.length,
      }),
    });
  const personal = fields.filter(({ field }) => field?.personal);
  if (personal.length)
    found.push({
      icon: "shield",
      words: tr("Personal data leaves the house: {{personal}}. Whoever runs it says what for.", {
        personal: list(personal.map((p) => p.column.heading)),
      }),
    });
  const retired = fields.filter(({ field }) => field?.retired);
  for (const { column, field } of retired)
    found.push({
      words: tr("{{column}} is retired: {{retired}}{{substitute}}", {
        column: column.heading,
        retired: field!.retired,
        substitute: field!.substitute
          ? tr(" Take {{substitute}} instead.", { substitute: field!.substitute })
          : "",
      }),
    });
  if (document.output?.csv?.heading_row === "none")
    found.push({
      words: tr("The file has no heading row: whoever opens it must know the columns by their places."),
    });
  return found;
}

function notIncluded(document: Document, { byPath, many, recordType }: Props): string {
  const used = new Set(
    (document.columns ?? []).flatMap(({ value }) =>
      "field" in value ? [value.field] : "fold" in value ? [value.fold.path] : [],
    ),
  );
  const left = [...byPath.values()].filter(({ field, group }) => !group.path && !used.has(field.path));
  const own = left.filter(({ field }) => field.everyday && field.kind !== "file");
  const files = document.output?.attachments
    ? []
    : [
        ...left.filter(({ field }) => field.kind === "file").map(({ field }) => field.label),
        ...many
          .filter((m) => m.files.length && !m.files.some((name) => used.has(`${m.path}.${name}`)))
          .map((m) => m.plural),
      ];
  const parts = [];
  if (own.length)
    parts.push(
      tr("everyday fields of the {{recordType}} without a column: {{own}}", {
        recordType: recordType?.label ?? "record",
        own: list(
          own.map(({ field }) => field.label),
          8,
        ),
      }),
    );
  if (files.length) parts.push(tr("files that the records keep: {{files}}", { files: list(files) }));
  return parts.length ? `${capital(parts.join("; "))}.` : "";
}

function list(names: string[], most = 4): string {
  const shown = names.slice(0, most).join(", ");
  return names.length > most
    ? tr("{{shown}} and {{names}}", { shown, names: plural(names.length - most, "other") })
    : shown;
}
