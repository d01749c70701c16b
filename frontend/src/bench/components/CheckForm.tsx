import { useQuery } from "@tanstack/react-query";
import { Button, Form } from "react-bootstrap";
import { resources } from "../../api";
import type { Look } from "../../api";
import { NumberInput, vocabulary } from "../../shared";
import { checksFor } from "../checks";
import type { Check, Severity } from "../checks";
import type { Column, Document } from "../../document/types";
import { tr } from "../../i18n";

type RowPart = Extract<Check, { formula: string }>;
type FilePart = Extract<Check, { file: string }>;
type ColumnPart = Extract<Check, { must: string }>;

interface Props<C extends Check = Check> {
  check: C;
  look: Look | undefined;
  onCheck: (check: Check) => void;
}

/** What a check asks, and what becomes of a run in which it objects. */
export function CheckForm({ document, ...props }: Props & { document: Document }) {
  const { check, onCheck } = props;
  const columns = (document.columns ?? []).filter((c) => !("constant" in c.value));
  return (
    <>
      {"formula" in check ? (
        <OfRow {...props} check={check} />
      ) : "file" in check ? (
        <OfFile {...props} check={check} columns={columns} />
      ) : (
        <OfColumn {...props} check={check} />
      )}
      <Form.Select
        size="sm"
        aria-label={tr("What becomes of the run")}
        value={check.severity ?? "note"}
        onChange={(e) => onCheck({ ...check, severity: e.target.value as Severity })}
      >
        {vocabulary().severities.map(({ name, words }) => (
          <option key={name} value={name}>
            {words}
          </option>
        ))}
      </Form.Select>
    </>
  );
}

/** A formula that must come to yes in every row. */
function OfRow({ check, onCheck }: Props<RowPart>) {
  return (
    <>
      <Form.Control
        size="sm"
        className="mono"
        aria-label={tr("Formula that must come to yes")}
        placeholder={tr("{Girth} < {Height} * 40")}
        value={check.formula}
        onChange={(e) => onCheck({ ...check, formula: e.target.value })}
      />
      <Form.Control
        size="sm"
        aria-label={tr("The check in words")}
        placeholder={tr("in words: what must hold")}
        value={check.say ?? ""}
        onChange={(e) => onCheck({ ...check, say: e.target.value })}
      />
    </>
  );
}

/** What the file as a whole must be. */
function OfFile({ check, look, columns, onCheck }: Props<FilePart> & { columns: Column[] }) {
  const takes = vocabulary().file_checks.find((c) => c.name === check.file)?.takes ?? [];
  return (
    <>
      <Form.Select
        size="sm"
        aria-label={tr("What the file must be")}
        value={check.file}
        onChange={(e) => onCheck({ ...check, file: e.target.value as typeof check.file })}
      >
        {vocabulary().file_checks.map(({ name, words }) => (
          <option key={name} value={name}>
            {tr("The file {{words}}", { words })}
          </option>
        ))}
      </Form.Select>
      {takes.includes("column") && (
        <Form.Select
          size="sm"
          aria-label={tr("Column")}
          value={check.column ?? ""}
          onChange={(e) => onCheck({ ...check, column: e.target.value })}
        >
          <option value="" disabled>
            {tr("which column")}
          </option>
          {columns.map((c) => (
            <option key={c.id} value={c.id}>
              {c.heading}
            </option>
          ))}
        </Form.Select>
      )}
      {takes.includes("least") && <Bounds check={check} onCheck={onCheck} />}
      {takes.includes("percent") && (
        <label className="small">
          {check.file === "usual" ? tr("no further than ") : tr("at least ")}
          <NumberInput
            size="sm"
            className="d-inline-block mono"
            style={{ width: 70 }}
            value={String(check.percent ?? "")}
            onNumber={(percent) => onCheck({ ...check, percent })}
          />{" "}
          %{" "}
          {check.file === "usual" && (
            <>
              {tr("from the middle of the last")}{" "}
              <NumberInput
                size="sm"
                className="d-inline-block mono"
                style={{ width: 56 }}
                value={String(check.runs ?? 7)}
                onNumber={(n) => onCheck({ ...check, runs: Number(n) || 7 })}
              />{" "}
              {tr("runs")}
            </>
          )}
        </label>
      )}
      {takes.includes("headings") && (
        <>
          <Form.Control
            as="textarea"
            size="sm"
            rows={4}
            aria-label={tr("Headings agreed, one a line")}
            value={(check.headings ?? []).join("\n")}
            onChange={(e) => onCheck({ ...check, headings: e.target.value.split("\n") })}
          />
          <Button
            variant="quiet"
            size="sm"
            onClick={() => onCheck({ ...check, headings: (look?.columns ?? []).map((c) => c.heading) })}
          >
            {tr("Take those of the sheet")}
          </Button>
        </>
      )}
    </>
  );
}

/** What every cell of a column must be. */
function OfColumn({ check, look, onCheck }: Props<ColumnPart>) {
  const kind = look?.columns.find((c) => c.id === check.column)?.kind ?? "text";
  const takes = vocabulary().column_checks.find((c) => c.name === check.must)?.takes ?? [];
  return (
    <>
      <Form.Select
        size="sm"
        aria-label={tr("What the column must be")}
        value={check.must}
        onChange={(e) => onCheck({ ...check, must: e.target.value as typeof check.must })}
      >
        {checksFor(kind).map(({ name, words }) => (
          <option key={name} value={name}>
            {words}
          </option>
        ))}
      </Form.Select>
      {takes.includes("least") && (
        <Bounds check={check} onCheck={onCheck} dated={["date", "timestamp", "moment"].includes(kind)} />
      )}
      {takes.includes("pattern") && (
        <>
          <Form.Control
            size="sm"
            className="mono"
            aria-label={tr("Pattern")}
            placeholder={tr("MB-?????")}
            value={check.pattern ?? ""}
            onChange={(e) => onCheck({ ...check, pattern: e.target.value })}
          />
          <div className="soft small">{tr("* stands for any text, ? for one letter or digit")}</div>
        </>
      )}
      {takes.includes("values") && (
        <Form.Control
          as="textarea"
          size="sm"
          rows={3}
          className="mono"
          aria-label={tr("Values allowed, one a line")}
          placeholder={tr("one value a line;\nof choices their codes")}
          value={(check.values ?? []).join("\n")}
          onChange={(e) =>
            onCheck({ ...check, values: e.target.value === "" ? [] : e.target.value.split("\n") })
          }
        />
      )}
      {takes.includes("spread") && (
        <label className="small">
          {tr("no further from the middle half of the values than")}{" "}
          <NumberInput
            size="sm"
            className="d-inline-block mono"
            style={{ width: 64 }}
            value={String(check.spread ?? 3)}
            onNumber={(spread) => onCheck({ ...check, spread })}
          />{" "}
          {tr("times its width")}
        </label>
      )}
      {takes.includes("listed_in") && (
        <ListOf value={check.listed_in ?? ""} onList={(listed_in) => onCheck({ ...check, listed_in })} />
      )}
    </>
  );
}

function Bounds({
  check,
  onCheck,
  dated = false,
}: {
  check: Extract<Check, { least?: unknown }>;
  onCheck: (check: Check) => void;
  dated?: boolean;
}) {
  const set = (part: { least?: string; greatest?: string }) => onCheck({ ...check, ...part } as Check);
  const field = (name: "least" | "greatest", words: string) => (
    <label className="small">
      {words}{" "}
      {dated ? (
        <input
          type="date"
          className="form-control form-control-sm"
          value={String(check[name] ?? "")}
          onChange={(e) => set({ [name]: e.target.value })}
        />
      ) : (
        <NumberInput
          size="sm"
          className="mono"
          value={String(check[name] ?? "")}
          onNumber={(value) => set({ [name]: value })}
        />
      )}
    </label>
  );
  return (
    <div className="pair">
      {field("least", "from")}
      {field("greatest", "to")}
    </div>
  );
}

/** A record type and one of its fields, whose values are the list. */
function ListOf({ value, onList }: { value: string; onList: (path: string) => void }) {
  const [records = "", field = ""] = value.split(".");
  const types = useQuery(resources.recordTypes());
  const fields = useQuery(resources.recordType(records));
  const own = fields.data?.groups.find((g) => !g.path)?.fields ?? [];
  return (
    <div className="pair">
      <Form.Select
        size="sm"
        aria-label={tr("Records of the list")}
        value={records}
        onChange={(e) =>
          onList(`${e.target.value}.${types.data?.find((t) => t.name === e.target.value)?.key[0] ?? ""}`)
        }
      >
        <option value="">{tr("which records")}</option>
        {types.data?.map((t) => (
          <option key={t.name} value={t.name}>
            {t.plural}
          </option>
        ))}
      </Form.Select>
      <Form.Select
        size="sm"
        aria-label={tr("Field of the list")}
        value={field}
        onChange={(e) => onList(`${records}.${e.target.value}`)}
      >
        {own.map((f) => (
          <option key={f.path} value={f.path}>
            {f.label}
          </option>
        ))}
      </Form.Select>
    </div>
  );
}
