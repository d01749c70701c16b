import { useQuery } from "@tanstack/react-query";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import { answer, api, recordsAt } from "../../api";
import type { Traced, Tally } from "../../api";
import { Icon, Trouble, count, plural, useDebounced } from "../../shared";
import { isCondition, nodeAt, replaceNode } from "../../document/filter";
import { useAsked } from "../../document/tried";
import type { Document } from "../../document/types";
import { tr } from "../../i18n";

/** What the trace is asked: a record by its key or what people call it; or the records left out at a step. */
export type Tracing = { record: string; key?: string[] } | { leftOut: string };

interface Props {
  document: Document;
  templateId: number;
  tracing: Tracing;
  counts: Tally | undefined;
  editable: boolean;
  onTracing: (tracing: Tracing) => void;
  onEdit: (document: Document) => void;
  onClose: () => void;
}

const QUIET = 300;
const LISTED = 100;

/** Why is this record in, or out? Or: which records does a step leave out? */
export function TracePanel(props: Props) {
  const { tracing, onTracing, onClose } = props;
  const typed = "record" in tracing ? tracing.record : "";
  return (
    <>
      <div className="shelf-tabs trace-tabs">
        <span className="now">
          <Icon name="search" /> {tr("Trace")}
        </span>
        <button type="button" onClick={onClose}>
          <Icon name="x" /> {tr("back to fields")}
        </button>
      </div>
      <div className="shelf-body trace" tabIndex={0} role="region" aria-label={tr("Trace")}>
        <Form.Control
          autoFocus={!("leftOut" in tracing)}
          aria-label={tr("Key or title of a record")}
          placeholder={tr("A record's key, or what it is called")}
          className="mono"
          value={typed}
          onChange={(e) => onTracing({ record: e.target.value })}
        />
        {"leftOut" in tracing ? (
          <LeftOutList {...props} place={tracing.leftOut} />
        ) : tracing.record.trim() ? (
          <Answer {...props} record={tracing.record.trim()} recordKey={tracing.key} />
        ) : (
          <p className="soft mt-3">
            {tr(
              "Type or paste what a record is called, such as its tag. You will see which step lets it pass, and which one stops it.",
            )}
          </p>
        )}
      </div>
    </>
  );
}

function Answer({
  document,
  templateId,
  counts,
  editable,
  onTracing,
  onEdit,
  record,
  recordKey,
}: Props & { record: string; recordKey?: string[] }) {
  const wanted = useDebounced(recordKey ?? [record], QUIET);
  const settled = useDebounced(document, QUIET);
  const { elsewhere, template_id, params } = useAsked(templateId);
  const found = useQuery({
    queryKey: ["trace", wanted, settled, elsewhere],
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/trace", {
          body: {
            document: settled,
            key: wanted,
            template_id,
          },
          params,
        }),
      ),
  });
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <p className="soft mt-3">{tr("looking…")}</p>;
  const traced = found.data.record;
  if (!traced)
    return (
      <p className="mt-3" role="status">
        {tr("There is no record “{{record}}”, or it is not yours to see.", { record })}
      </p>
    );
  const step =
    traced.stopped_by === null || traced.stopped_by === undefined ? null : traced.steps[traced.stopped_by]!;
  const others = step ? stoppedAt(counts, step.place) : 0;
  return (
    <div role="status">
      <h2>{traced.is_in ? tr("In the file") : tr("Not in the file")}</h2>
      <p className="soft mb-2">
        {traced.title ?? traced.key.join(", ")}, {traced.what}
        {step && <>{tr(". Stopped by: {{step}}.", { step: step.words })}</>}
      </p>
      <Path traced={traced}>
        {step && (
          <div className="mt-1">
            {others > 0 && (
              <div className="small">
                {tr("{{others}} here.", { others: plural(others, "record stops", "records stop") })}
              </div>
            )}
            <div className="d-flex gap-2 flex-wrap mt-1">
              {editable && <Cures document={document} place={step.place} saw={step.saw} onEdit={onEdit} />}
              {others > 0 && step.place !== "at_most" && (
                <Button variant="quiet" size="sm" onClick={() => onTracing({ leftOut: step.place })}>
                  {tr("See the {{others}}", { others: count(others) })}
                </Button>
              )}
            </div>
          </div>
        )}
      </Path>
      {found.data.children.length > 0 && (
        <section aria-label={tr("Its rows")}>
          <h3>{tr("Possible rows")}</h3>
          {found.data.children.map((child) => (
            <details key={child.key.join()} className="child-trace">
              <summary>
                <Icon name={child.is_in ? "check" : "x"} /> {child.title ?? child.key.join(", ")}{" "}
                <span className="soft">
                  {child.is_in
                    ? tr("is a row")
                    : tr("stopped: {{steps}}", { steps: child.steps[child.stopped_by ?? 0]?.words })}
                </span>
              </summary>
              <Path traced={child} />
            </details>
          ))}
        </section>
      )}
      {found.data.others.length > 0 && (
        <p className="soft small">
          {tr("{{others}} called the same:", {
            others: plural(found.data.others.length, "other record is", "other records are"),
          })}{" "}
          {found.data.others.map((k) => (
            <button
              key={k.join()}
              type="button"
              className="btn-link-plain me-2"
              onClick={() => onTracing({ record, key: k })}
            >
              {k.join(", ")}
            </button>
          ))}
        </p>
      )}
      {elsewhere === null && (
        <Link className="small" to={recordsAt(document.records ?? "", traced.key)}>
          {tr("Open the record")}
        </Link>
      )}
    </div>
  );
}

/** How many records the step at a place stops; `rows` is where children become rows, and those without any stop. */
function stoppedAt(counts: Tally | undefined, place: string): number {
  if (place !== "rows") return counts?.steps.find((s) => s.place === place)?.left_out ?? 0;
  return counts?.steps.findLast((s) => s.without !== null)?.without ?? 0;
}

function Path({ traced, children }: { traced: Traced; children?: React.ReactNode }) {
  const stopped = traced.stopped_by ?? null;
  return (
    <ol className="trace-path">
      {traced.steps.map((step, n) => (
        <li
          key={n}
          className={
            step.passed
              ? stopped !== null && n > stopped
                ? "after"
                : "passed"
              : n === stopped
                ? "stopped"
                : "after failed"
          }
        >
          <div className="fw-bold">{step.words}</div>
          {step.saw.map((s) => (
            <div key={s.label} className="small">
              <span className="soft">{s.label}:</span> <span className="mono">{s.value ?? tr("empty")}</span>
            </div>
          ))}
          {stopped !== null && n > stopped && (
            <div className="small soft">{step.passed ? tr("would pass") : tr("would stop it, too")}</div>
          )}
          {n === stopped && children}
        </li>
      ))}
      {traced.steps.length === 0 && (
        <li className="passed">{tr("nothing narrows: every {{what}} is in", { what: traced.what })}</li>
      )}
    </ol>
  );
}

/** What would let such records in: keep blanks, take the value in, or lift the narrowing. */
function Cures({
  document,
  place,
  saw,
  onEdit,
}: {
  document: Document;
  place: string;
  saw: { label: string; value: string | null }[];
  onEdit: (document: Document) => void;
}) {
  const rows = document.rows;
  if (place === "rows" && rows?.per === "child")
    return (
      <Button
        variant="quiet"
        size="sm"
        onClick={() => onEdit({ ...document, rows: { ...rows, parents_without: "keep" } })}
      >
        {tr("Keep those without any")}
      </Button>
    );
  if (place === "at_most")
    return (
      <Button variant="quiet" size="sm" onClick={() => onEdit({ ...document, at_most: undefined })}>
        {tr("Take every row")}
      </Button>
    );
  const node = nodeAt(document, place);
  if (!node) return null;
  const blank = isCondition(node) && saw.some((s) => s.value === null) && node.path;
  return (
    <>
      {blank && isCondition(node) && (
        <Button
          variant="quiet"
          size="sm"
          onClick={() =>
            onEdit(replaceNode(document, place, { any: [node, { path: node.path, is: "blank" }] }))
          }
        >
          {tr("Keep those with no {{value}}", {
            value: saw[0]!.label.split(" › ").slice(-2)[0]!.toLowerCase(),
          })}
        </Button>
      )}
      <Button variant="quiet" size="sm" onClick={() => onEdit(replaceNode(document, place, null))}>
        {tr("Remove")}
      </Button>
    </>
  );
}

function LeftOutList({ document, templateId, counts, place, onTracing }: Props & { place: string }) {
  const { elsewhere, template_id, params } = useAsked(templateId);
  const found = useQuery({
    queryKey: ["left-out", place, document, elsewhere],
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/left-out", {
          body: {
            document: document,
            place,
            limit: LISTED,
            template_id,
          },
          params,
        }),
      ),
  });
  const step = counts?.steps.find((s) => s.place === place);
  const number = counts ? stoppedAt(counts, place) : null;
  return (
    <>
      <h2>{tr("Left out here")}</h2>
      <p className="soft mb-2">
        {number !== null && plural(number, "record")}{" "}
        {place === "rows" ? tr("without any") : <>{tr("by: {{step}}", { step: step?.words })}</>}
        {step && step.blank > 0 && <>{tr(", of which blank: {{blank}}", { blank: count(step.blank) })}</>}
      </p>
      <Trouble error={found.error} />
      {!found.data && !found.error && <p className="soft">{tr("looking…")}</p>}
      <ul className="left-out">
        {found.data?.records.map((r) => (
          <li key={r.key.join()}>
            <button
              type="button"
              className="btn-link-plain mono"
              onClick={() => onTracing({ record: r.title ?? r.key.join(", "), key: r.key })}
            >
              {r.title ?? r.key.join(", ")}
            </button>
            {r.saw.map((s) => (
              <span key={s.label} className="small">
                <span className="soft">{s.label.split(" › ").at(-1)}</span>{" "}
                <span className={`mono ${s.value === null ? "soft" : ""}`}>{s.value ?? tr("empty")}</span>
              </span>
            ))}
          </li>
        ))}
      </ul>
      {found.data?.more && (
        <p className="soft small">{tr("These are the first {{listed}}.", { listed: LISTED })}</p>
      )}
    </>
  );
}
