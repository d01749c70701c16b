import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import { answer, api } from "../../api";
import type { CheckCount, Look, Problem } from "../../api";
import { Icon, NumberInput, count, plural, vocabulary } from "../../shared";
import { checksFor, newCheck, tidied } from "../checks";
import type { Check, Severity } from "../checks";
import { useChecks } from "../hooks/useChecks";
import type { Document } from "../types";
import { Spread } from "./Spread";
import { Help } from "../../guide";

interface Props {
  document: Document;
  templateId: number;
  look: Look | undefined;
  problems: Problem[];
  editable: boolean;
  /** The record type that a row stands for, where its records have pages. */
  rowsOf: string | undefined;
  onChecks: (checks: Check[]) => void;
}

/** The rules that rows and file must meet, each with how many rows object to it as they are now. */
export function CheckRules(props: Props) {
  const { document, templateId, problems, editable, onChecks } = props;
  const checks = document.checks ?? [];
  const counts = useChecks(document, templateId);
  const [open, setOpen] = useState<number | null>(null);
  const put = (n: number, check: Check) => onChecks(checks.map((c, k) => (k === n ? tidied(check) : c)));
  const add = (what: string) => {
    onChecks([...checks, newCheck(what, document.columns ?? [])]);
    setOpen(checks.length);
  };
  return (
    <>
      <h3>
        Checks on every run <Help topic="checks#checks-of-columns-and-rows" />
        {counts.isFetching && <span className="soft small fw-normal"> counting…</span>}
      </h3>
      {checks.length === 0 && (
        <p className="soft small">
          A check looks at every row, or at the whole file, and notes what is odd, holds the file back, or
          stops it.
        </p>
      )}
      {checks.map((check, n) => {
        const place = `checks[${n}]`;
        return (
          <Rule
            key={n}
            {...props}
            check={check}
            place={place}
            found={(counts.data?.checks ?? []).filter((c) => c.place === place)}
            fresh={counts.data !== undefined && !counts.isPlaceholderData}
            wrong={problems.filter((p) => p.place.startsWith(place))}
            open={open === n}
            onOpen={() => setOpen(open === n ? null : n)}
            onCheck={(next) => put(n, next)}
            onRemove={() => {
              onChecks(checks.filter((_, k) => k !== n));
              setOpen(null);
            }}
          />
        );
      })}
      {editable && (
        <div className="check-add">
          <Form.Select size="sm" aria-label="Add a check" value="" onChange={(e) => add(e.target.value)}>
            <option value="" disabled>
              + Add a check…
            </option>
            <optgroup label="of a column">
              {(document.columns ?? [])
                .filter((c) => !("constant" in c.value))
                .map((c) => (
                  <option key={c.id} value={c.id}>
                    {c.heading}
                  </option>
                ))}
            </optgroup>
            <optgroup label="of more">
              <option value="row">of a row, by a formula</option>
              <option value="file">of the file as a whole</option>
            </optgroup>
          </Form.Select>
        </div>
      )}
    </>
  );
}

interface RuleProps extends Props {
  check: Check;
  place: string;
  found: CheckCount[];
  fresh: boolean;
  wrong: Problem[];
  open: boolean;
  onOpen: () => void;
  onCheck: (check: Check) => void;
  onRemove: () => void;
}

function Rule({ check, found, wrong, open, onOpen, fresh, editable, onRemove, ...rest }: RuleProps) {
  const severity = check.severity ?? "note";
  const objections = found.reduce((n, c) => n + c.objections, 0);
  const words = found[0]?.words ?? roughWords(check, rest.document);
  return (
    <div className={`rule is-${severity} ${objections ? "objecting" : ""}`}>
      <div className="rule-head">
        <button type="button" className="rule-words" aria-expanded={open} onClick={onOpen}>
          {words}
          <span className="soft small d-block">
            {{ note: "noted", hold: "holds the file", stop: "stops the run" }[severity]}
          </span>
        </button>
        <span className="rule-count num" aria-live="polite">
          {wrong.length > 0 ? (
            <Icon name="exclamation" label="to be filled in" />
          ) : found.some((c) => c.whole) ? (
            found[0]!.saw === "judged when it runs" ? (
              <span className="soft small">at the run</span>
            ) : objections ? (
              "objects"
            ) : (
              <Icon name="check" label="content" />
            )
          ) : found.length ? (
            objections ? (
              <>
                {count(objections)} <span className="soft small">{objections === 1 ? "row" : "rows"}</span>
              </>
            ) : (
              <Icon name="check" label="content" />
            )
          ) : (
            "…"
          )}
        </span>
      </div>
      {wrong.map((p) => (
        <div key={p.message} className="field-trouble" role="alert">
          {p.message}
        </div>
      ))}
      {open && (
        <div className="rule-body">
          {editable && <RuleForm check={check} {...rest} />}
          {fresh && found[0]?.usual && <Spread usual={found[0].usual} />}
          {fresh && <Objected found={found} rowsOf={rest.rowsOf} />}
          {editable && (
            <Button variant="quiet" size="sm" onClick={onRemove}>
              <Icon name="trash" /> Remove this check
            </Button>
          )}
        </div>
      )}
    </div>
  );
}

function Objected({ found, rowsOf }: { found: CheckCount[]; rowsOf: string | undefined }) {
  const rows = found.flatMap((c) => c.rows);
  const said = found.map((c) => c.saw).filter((s) => s && s !== "judged when it runs");
  if (said.length) return <div className="small">{said.join("; ")}</div>;
  if (!rows.length) return null;
  const all = found.reduce((n, c) => n + c.objections, 0);
  return (
    <div className="small">
      <div className="soft">
        {all > rows.length ? `${rows.length} of ${plural(all, "row")}:` : "These rows:"}
      </div>
      {rows.map((r, n) => (
        <div key={n} className="d-flex justify-content-between gap-2">
          {rowsOf && r.key.length ? (
            <Link to={`/records/${rowsOf}/${r.key.map(encodeURIComponent).join("/")}`} className="mono">
              {r.key.join(", ")}
            </Link>
          ) : (
            <span className="mono">{r.key.join(", ")}</span>
          )}
          <span className="mono one-line">{r.value ?? "empty"}</span>
        </div>
      ))}
    </div>
  );
}

function RuleForm({
  check,
  document,
  look,
  onCheck,
}: Pick<RuleProps, "check" | "document" | "look" | "onCheck">) {
  const columns = (document.columns ?? []).filter((c) => !("constant" in c.value));
  const severity = (
    <Form.Select
      size="sm"
      aria-label="What becomes of the run"
      value={check.severity ?? "note"}
      onChange={(e) => onCheck({ ...check, severity: e.target.value as Severity })}
    >
      {vocabulary().severities.map(({ name, words }) => (
        <option key={name} value={name}>
          {words}
        </option>
      ))}
    </Form.Select>
  );
  if ("formula" in check) {
    return (
      <>
        <Form.Control
          size="sm"
          className="mono"
          aria-label="Formula that must come to yes"
          placeholder="{Girth} < {Height} * 40"
          value={check.formula}
          onChange={(e) => onCheck({ ...check, formula: e.target.value })}
        />
        <Form.Control
          size="sm"
          aria-label="The check in words"
          placeholder="in words: what must hold"
          value={check.say ?? ""}
          onChange={(e) => onCheck({ ...check, say: e.target.value })}
        />
        {severity}
      </>
    );
  }
  if ("file" in check) {
    return (
      <>
        <Form.Select
          size="sm"
          aria-label="What the file must be"
          value={check.file}
          onChange={(e) => onCheck({ ...check, file: e.target.value })}
        >
          {vocabulary().file_checks.map(({ name, words }) => (
            <option key={name} value={name}>
              The file {words}
            </option>
          ))}
        </Form.Select>
        {["total", "full"].includes(check.file) && (
          <Form.Select
            size="sm"
            aria-label="Column"
            value={check.column ?? ""}
            onChange={(e) => onCheck({ ...check, column: e.target.value })}
          >
            <option value="" disabled>
              which column
            </option>
            {columns.map((c) => (
              <option key={c.id} value={c.id}>
                {c.heading}
              </option>
            ))}
          </Form.Select>
        )}
        {["rows", "total"].includes(check.file) && <Bounds check={check} onCheck={onCheck} />}
        {["usual", "full"].includes(check.file) && (
          <label className="small">
            {check.file === "usual" ? "no further than " : "at least "}
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
                from the middle of the last{" "}
                <NumberInput
                  size="sm"
                  className="d-inline-block mono"
                  style={{ width: 56 }}
                  value={String(check.runs ?? 7)}
                  onNumber={(n) => onCheck({ ...check, runs: Number(n) || 7 })}
                />{" "}
                runs
              </>
            )}
          </label>
        )}
        {check.file === "headings" && (
          <>
            <Form.Control
              as="textarea"
              size="sm"
              rows={4}
              aria-label="Headings agreed, one a line"
              value={(check.headings ?? []).join("\n")}
              onChange={(e) => onCheck({ ...check, headings: e.target.value.split("\n") })}
            />
            <Button
              variant="quiet"
              size="sm"
              onClick={() => onCheck({ ...check, headings: (look?.columns ?? []).map((c) => c.heading) })}
            >
              Take those of the sheet
            </Button>
          </>
        )}
        {severity}
      </>
    );
  }
  const kind = look?.columns.find((c) => c.id === check.column)?.kind ?? "text";
  return (
    <>
      <Form.Select
        size="sm"
        aria-label="What the column must be"
        value={check.must}
        onChange={(e) => onCheck({ ...check, must: e.target.value })}
      >
        {checksFor(kind).map(({ name, words }) => (
          <option key={name} value={name}>
            {words}
          </option>
        ))}
      </Form.Select>
      {(check.must === "between" || check.must === "length") && (
        <Bounds check={check} onCheck={onCheck} dated={["date", "timestamp", "moment"].includes(kind)} />
      )}
      {check.must === "matches" && (
        <>
          <Form.Control
            size="sm"
            className="mono"
            aria-label="Pattern"
            placeholder="MB-?????"
            value={check.pattern ?? ""}
            onChange={(e) => onCheck({ ...check, pattern: e.target.value })}
          />
          <div className="soft small">* stands for any text, ? for one letter or digit</div>
        </>
      )}
      {check.must === "one_of" && (
        <Form.Control
          as="textarea"
          size="sm"
          rows={3}
          className="mono"
          aria-label="Values allowed, one a line"
          placeholder={"one value a line;\nof choices their codes"}
          value={(check.values ?? []).join("\n")}
          onChange={(e) =>
            onCheck({ ...check, values: e.target.value === "" ? [] : e.target.value.split("\n") })
          }
        />
      )}
      {check.must === "near_usual" && (
        <label className="small">
          no further from the middle half of the values than{" "}
          <NumberInput
            size="sm"
            className="d-inline-block mono"
            style={{ width: 64 }}
            value={String(check.spread ?? 3)}
            onNumber={(spread) => onCheck({ ...check, spread })}
          />{" "}
          times its width
        </label>
      )}
      {check.must === "listed" && (
        <ListOf value={check.listed_in ?? ""} onList={(listed_in) => onCheck({ ...check, listed_in })} />
      )}
      {severity}
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
  const types = useQuery({
    queryKey: ["record-types"],
    queryFn: () => answer(api.GET("/api/v1/record-types")),
    staleTime: 300_000,
  });
  const fields = useQuery({
    queryKey: ["record-type", records, 0],
    enabled: records !== "",
    queryFn: () => answer(api.GET("/api/v1/record-types/{name}", { params: { path: { name: records } } })),
    staleTime: 300_000,
  });
  const own = fields.data?.groups.find((g) => !g.path)?.fields ?? [];
  return (
    <div className="pair">
      <Form.Select
        size="sm"
        aria-label="Records of the list"
        value={records}
        onChange={(e) =>
          onList(`${e.target.value}.${types.data?.find((t) => t.name === e.target.value)?.key[0] ?? ""}`)
        }
      >
        <option value="">which records</option>
        {types.data?.map((t) => (
          <option key={t.name} value={t.name}>
            {t.plural}
          </option>
        ))}
      </Form.Select>
      <Form.Select
        size="sm"
        aria-label="Field of the list"
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

/** A check in words before the server has said it better. */
function roughWords(check: Check, document: Document): string {
  if ("formula" in check) return check.say || check.formula || "a formula that must hold";
  if ("file" in check)
    return `The file ${vocabulary().file_checks.find((f) => f.name === check.file)?.words ?? ""}`;
  const heading = (document.columns ?? []).find((c) => c.id === check.column)?.heading ?? check.column;
  return `${heading} ${checksFor("").find((m) => m.name === check.must)?.words ?? "…"}`;
}
