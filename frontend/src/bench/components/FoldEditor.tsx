import { Form } from "react-bootstrap";
import type { FieldInfo, RecordTypeFields } from "../../api";
import { useRecordType, useTargetFields } from "../../document/hooks/useFields";
import type { Document, Fold } from "../../document/types";
import { ruleOf } from "../../document/rows";
import { WhereEditor } from "../../document/components/HasEditor";
import { vocabulary } from "../../shared";
import { Help } from "../../guide";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  fold: Fold;
  start: RecordTypeFields | undefined;
  onChange: (fold: Fold) => void;
}

/** How many records become one cell. */
export function FoldEditor({ document, fold, start, onChange }: Props) {
  const path = fold.path ?? "";
  const grouped = ruleOf(document).per === "group";
  const way = [...(start?.many ?? [])]
    .sort((a, b) => b.path.length - a.path.length)
    .find((w) => path === w.path || path.startsWith(`${w.path}.`));
  const target = useRecordType(way?.records ?? (grouped ? document.records : ""));
  const fields = useTargetFields(target.data);
  const rest = way ? path.slice(way.path.length + 1) : path;
  const field = fields.get(rest);
  const plural = way?.plural ?? target.data?.record_type.plural ?? "records";
  const set = (change: Partial<Fold>) => onChange({ ...fold, ...change });
  const at = (name: string) => [way?.path, name].filter(Boolean).join(".");
  const dated = [...fields.values()].filter(
    (f) => ["date", "timestamp", "moment"].includes(f.kind) && !f.path.includes("."),
  );
  const folding = foldOf(fold.how);
  const ordered = folding !== undefined && folding.order !== "no";
  return (
    <>
      <Form.Group controlId="fold-how">
        <Form.Label>{tr("Of its {{plural}}", { plural })}</Form.Label> <Help topic="folds#ways-to-fold" />
        <Form.Select
          value={fold.how}
          onChange={(e) => {
            const how = e.target.value as Fold["how"];
            if (foldOf(how)?.field === false) set({ how, path: way?.path ?? "" });
            else {
              const fit =
                rest && field && fits(how, field)
                  ? rest
                  : (
                      [...fields.values()].find((f) => f.everyday && fits(how, f)) ??
                      [...fields.values()].find((f) => fits(how, f))
                    )?.path;
              const order =
                foldOf(how)?.order === "must" && !fold.order?.length && dated[0]
                  ? [{ path: dated[0].path }]
                  : fold.order;
              set({ how, path: at(fit ?? rest), order });
            }
          }}
        >
          {vocabulary().folds.map(({ name, words }) => (
            <option key={name} value={name}>
              {words}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      {folding?.field && (
        <Form.Group controlId="fold-field">
          <Form.Label>{tr("of which field")}</Form.Label>
          <Form.Select value={rest} onChange={(e) => set({ path: at(e.target.value) })}>
            {!field && <option value={rest}>{rest || tr("choose…")}</option>}
            {(target.data?.groups ?? []).map((g) => (
              <optgroup key={g.path} label={g.label}>
                {g.fields
                  .filter((f) => f.kind !== "file" && fits(fold.how, f))
                  .map((f) => (
                    <option key={f.path} value={f.path}>
                      {f.label}
                      {f.retired ? tr(" (retired)") : ""}
                    </option>
                  ))}
              </optgroup>
            ))}
          </Form.Select>
        </Form.Group>
      )}
      {fold.how === "joined" && <Joining fold={fold} set={set} />}
      {fold.how === "spread" && (
        <Form.Group controlId="fold-columns">
          <Form.Label>{tr("Columns")}</Form.Label>
          <Form.Control
            type="number"
            min={1}
            max={60}
            value={fold.columns ?? 3}
            onChange={(e) => set({ columns: Math.min(60, Math.max(1, Number(e.target.value) || 1)) })}
          />
        </Form.Group>
      )}
      {ordered && (
        <FoldOrder fold={fold} fields={[...fields.values()]} must={folding.order === "must"} set={set} />
      )}
      <WhereEditor
        records={way?.records ?? (grouped ? document.records : "")}
        what={plural}
        where={fold.where ?? null}
        zone={document.zone ?? "Europe/London"}
        onChange={(where) => set({ where: where ?? undefined })}
      />
    </>
  );
}

interface PartProps {
  fold: Fold;
  set: (change: Partial<Fold>) => void;
}

/** How texts are joined. */
function Joining({ fold, set }: PartProps) {
  return (
    <>
      <div className="pair">
        <Form.Group controlId="fold-separator">
          <Form.Label>{tr("Between them")}</Form.Label>
          <Form.Control
            className="mono"
            value={fold.separator ?? "; "}
            onChange={(e) => set({ separator: e.target.value })}
          />
        </Form.Group>
        <Form.Group controlId="fold-most">
          <Form.Label>{tr("At most")}</Form.Label>
          <Form.Control
            type="number"
            min={1}
            placeholder={tr("all")}
            value={fold.at_most ?? ""}
            onChange={(e) =>
              set({ at_most: e.target.value ? Math.max(1, Number(e.target.value)) : undefined })
            }
          />
        </Form.Group>
      </div>
      <Form.Check
        id="fold-distinct"
        label={tr("each value once")}
        checked={fold.distinct ?? false}
        onChange={(e) => set({ distinct: e.target.checked || undefined })}
      />
    </>
  );
}

/** In which order the records are taken. */
function FoldOrder({ fold, fields, must, set }: PartProps & { fields: FieldInfo[]; must: boolean }) {
  return (
    <Form.Group controlId="fold-order">
      <Form.Label>{tr("In the order of")}</Form.Label>
      <div className="d-flex gap-2">
        <Form.Select
          value={fold.order?.[0]?.path ?? ""}
          onChange={(e) =>
            set({ order: e.target.value ? [{ ...fold.order?.[0], path: e.target.value }] : undefined })
          }
        >
          <option value="">{must ? tr("choose…") : tr("their keys")}</option>
          {fields
            .filter((f) => f.kind !== "file")
            .map((f) => (
              <option key={f.path} value={f.path}>
                {f.label}
              </option>
            ))}
        </Form.Select>
        {fold.order?.[0] && (
          <Form.Select
            aria-label={tr("Direction of the order")}
            style={{ width: 140 }}
            value={fold.order[0].direction ?? "ascending"}
            onChange={(e) =>
              set({ order: [{ ...fold.order![0]!, direction: e.target.value as "ascending" }] })
            }
          >
            <option value="ascending">{tr("least first")}</option>
            <option value="descending">{tr("greatest first")}</option>
          </Form.Select>
        )}
      </div>
    </Form.Group>
  );
}

/** Whether a field can be folded like that. */
function fits(how: string, field: FieldInfo): boolean {
  return foldOf(how)?.kinds.some((k) => k === field.kind) ?? false;
}

function foldOf(how: string) {
  return vocabulary().folds.find((f) => f.name === how);
}
