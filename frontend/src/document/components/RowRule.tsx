import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api";
import type { FieldGroup, FieldInfo, RecordTypeFields } from "../../api";
import { Icon, count, plural } from "../../shared";
import { ruleOf } from "../rows";
import type { By, Document, RowRule as Rule } from "../types";
import { AcrossEditor } from "./AcrossEditor";
import { FieldPicker } from "./FieldPicker";
import { Help } from "../../guide";
import { tr } from "../../i18n";

const STEPS: Record<string, string> = {
  minute: tr("by minute"),
  hour: tr("by hour"),
  day: tr("by day"),
  week: tr("by week"),
  month: tr("by month"),
  quarter: tr("by quarter"),
  year: tr("by year"),
};

/** Minutes that divide the hour. */
const MINUTES = [1, 2, 3, 4, 5, 6, 10, 12, 15, 20, 30];

interface Props {
  document: Document;
  start: RecordTypeFields | undefined;
  groups: FieldGroup[];
  fieldOf: (path: string) => FieldInfo | undefined;
  onRule: (rule: Rule) => void;
}

/** One row per what? With a picture of what becomes of the person's own first record. */
export function RowRule({ document, start, groups, fieldOf, onRule }: Props) {
  const rule = ruleOf(document);
  const one = start?.record_type.label ?? document.records;
  const children = (start?.many ?? []).filter((w) => !w.path.includes(".") || w.path.split(".").length <= 2);
  const [more, setMore] = useState(false);
  const shown = children.filter(
    (w) => more || !w.path.includes(".") || (rule.per === "child" && rule.path === w.path),
  );
  const firstBy = groups[0]?.fields.find((f) => f.kind === "choice") ?? groups[0]?.fields[0];
  return (
    <div className="row-rule">
      <div>
        {tr("One row per what?")} <Help topic="rows#one-row-per-record" />
      </div>
      <div role="radiogroup" aria-label={tr("One row per")} className="pb-1">
        <Form.Check
          type="radio"
          id="rule-record"
          label={tr("one row per {{one}}", { one })}
          checked={rule.per === "record"}
          onChange={() => onRule({ per: "record" })}
        />
        {shown.map((w) => (
          <Form.Check
            key={w.path}
            type="radio"
            id={`rule-${w.path}`}
            label={
              <>
                {tr("one row per {{one}}", { one: w.one })}{" "}
                <span className="soft small">
                  {tr("of each {{one}}{{value}}", {
                    one,
                    value: w.path.includes(".")
                      ? tr(", by way of {{label}}", { label: w.label.toLowerCase() })
                      : "",
                  })}
                </span>
              </>
            }
            checked={rule.per === "child" && rule.path === w.path}
            onChange={() =>
              onRule({
                per: "child",
                path: w.path,
                parents_without: rule.per === "child" ? rule.parents_without : "leave_out",
              })
            }
          />
        ))}
        {!more && shown.length < children.length && (
          <button
            type="button"
            className="btn-link-plain small ms-4 mb-2 d-block"
            onClick={() => setMore(true)}
          >
            {tr("{{children}} more", { children: children.length - shown.length })}
          </button>
        )}
        <Form.Check
          type="radio"
          id="rule-group"
          label={tr("one row per group of them")}
          checked={rule.per === "group"}
          onChange={() => firstBy && onRule({ per: "group", by: [{ path: firstBy.path }] })}
        />
      </div>
      {rule.per === "child" && (
        <Form.Check
          id="rule-keep"
          className="ms-4"
          label={tr("keep {{record_type}} without any: a row each, with blank cells", {
            record_type: start?.record_type.plural ?? "",
          })}
          checked={rule.parents_without === "keep"}
          onChange={(e) => onRule({ ...rule, parents_without: e.target.checked ? "keep" : "leave_out" })}
        />
      )}
      {rule.per === "group" && (
        <>
          <ByEditor rule={rule.by} groups={groups} fieldOf={fieldOf} onBy={(by) => onRule({ ...rule, by })} />
          <AcrossEditor
            across={rule.across}
            groups={groups}
            fieldOf={fieldOf}
            onAcross={(across) => onRule({ ...rule, across })}
          />
        </>
      )}
      {start && rule.per !== "group" && <Picture start={start} rule={rule} />}
    </div>
  );
}

function ByEditor({
  rule,
  groups,
  fieldOf,
  onBy,
}: {
  rule: By[];
  groups: FieldGroup[];
  fieldOf: (path: string) => FieldInfo | undefined;
  onBy: (by: By[]) => void;
}) {
  const [adding, setAdding] = useState(false);
  const change = (at: number, part: Partial<By>) =>
    onBy(rule.map((b, n) => (n === at ? { ...b, ...part } : b)));
  return (
    <div className="ms-4 d-grid gap-2">
      {rule.map((by, n) => {
        const field = fieldOf(by.path);
        const dated = field && ["date", "timestamp", "moment"].includes(field.kind);
        return (
          <div key={`${by.path} ${n}`} className="d-flex gap-2 align-items-center flex-wrap">
            <b>{field?.label ?? by.path}</b>
            {dated && (
              <>
                <Form.Select
                  size="sm"
                  style={{ width: 118 }}
                  aria-label={tr("Step of {{label}}", { label: field.label })}
                  value={by.step ?? ""}
                  onChange={(e) =>
                    change(n, {
                      step: (e.target.value || undefined) as By["step"],
                      count: undefined,
                      ...(e.target.value ? {} : { fill_gaps: undefined }),
                    })
                  }
                >
                  <option value="">{tr("as it is")}</option>
                  {Object.keys(STEPS)
                    .filter((s) => field.kind !== "date" || !["minute", "hour"].includes(s))
                    .map((s) => (
                      <option key={s} value={s}>
                        {STEPS[s]}
                      </option>
                    ))}
                </Form.Select>
                {by.step === "minute" && (
                  <Form.Select
                    size="sm"
                    className="w-auto"
                    aria-label={tr("How many minutes a step")}
                    value={by.count ?? 1}
                    onChange={(e) => change(n, { count: Number(e.target.value) })}
                  >
                    {MINUTES.map((m) => (
                      <option key={m} value={m}>
                        {m === 1 ? tr("every minute") : tr("{{m}} minutes each", { m })}
                      </option>
                    ))}
                  </Form.Select>
                )}
                {by.step && (
                  <Form.Check
                    id={`gaps-${n}`}
                    label={tr("also empty ones")}
                    checked={by.fill_gaps ?? false}
                    onChange={(e) => change(n, { fill_gaps: e.target.checked || undefined })}
                  />
                )}
              </>
            )}
            {rule.length > 1 && (
              <button
                type="button"
                className="btn btn-quiet btn-sm ms-auto"
                onClick={() => onBy(rule.filter((_, k) => k !== n))}
              >
                <Icon name="x" label={tr("Not by {{label}}", { label: field?.label ?? by.path })} />
              </button>
            )}
          </div>
        );
      })}
      {adding ? (
        <FieldPicker
          groups={groups}
          onPick={(field) => {
            setAdding(false);
            onBy([...rule, { path: field.path }]);
          }}
        />
      ) : (
        <div className="d-flex gap-2">
          <Button variant="quiet" size="sm" onClick={() => setAdding(true)}>
            {tr("and per…")}
          </Button>
          <span className="soft small align-self-center">{tr("All other columns become folds.")}</span>
        </div>
      )}
    </div>
  );
}

/** What becomes of the first record that has some: three inspections → three rows, or one row with a fold. */
function Picture({ start, rule }: { start: RecordTypeFields; rule: Rule }) {
  const way = rule.per === "child" ? start.many.find((w) => w.path === rule.path) : start.many[0];
  const title = start.record_type.title ?? start.record_type.key[0] ?? "";
  const example = useQuery({
    queryKey: ["row-rule", start.record_type.name, way?.path],
    enabled: way !== undefined && title !== "",
    staleTime: 600_000,
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/look", {
          body: {
            document: {
              name: "picture",
              records: start.record_type.name,
              columns: [
                { id: "t", heading: tr("Title"), value: { field: title } },
                { id: "n", heading: tr("Count"), value: { fold: { path: way!.path, how: "count" } } },
              ],
              filter: { all: [{ path: way!.path, has: "at_least", count: 2 }] },
            },
            limit: 1,
            offset: 0,
            bench: "",
            keys: false,
          },
        }),
      ),
  });
  const row = example.data?.rows[0];
  if (!way || !row) return null;
  const many = Number(row[1] ?? 0);
  const drawn = Math.min(many, 4);
  const open = rule.per === "child";
  return (
    <figure
      className="rule-picture"
      aria-label={tr("{{row}}: {{many}} become {{open}}", {
        row: row[0],
        many: plural(many, way.one, way.plural),
        open: open ? plural(many, "row") : tr("one row"),
      })}
    >
      <div className="records-drawn">
        <span className="parent">{row[0]}</span>
        {Array.from({ length: drawn }, (_, n) => (
          <span key={n} className="child">
            {way.one} {n + 1}
          </span>
        ))}
        {many > drawn && <span className="child">… {count(many)}</span>}
      </div>
      <span className="arrow" aria-hidden>
        →
      </span>
      <div className="rows-drawn">
        {open ? (
          <>
            {Array.from({ length: drawn }, (_, n) => (
              <span key={n} className="drawn">
                <i className={n ? "again" : ""}>{row[0]}</i> {way.one} {n + 1}
              </span>
            ))}
            <figcaption>
              {tr("{{many}}: what belongs to the {{record_type}} repeats", {
                many: plural(many, "row"),
                record_type: start.record_type.label,
              })}
            </figcaption>
          </>
        ) : (
          <>
            <span className="drawn">
              <i>{row[0]}</i> {plural(many, way.one, way.plural)}
            </span>
            <figcaption>{tr("one row: {{way}} are folded into a cell", { way: way.plural })}</figcaption>
          </>
        )}
      </div>
    </figure>
  );
}
