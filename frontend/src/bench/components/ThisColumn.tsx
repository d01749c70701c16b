import { Button, Form } from "react-bootstrap";
import type { FieldGroup, FieldInfo, Problem, RecordTypeFields, SheetColumn } from "../../api";
import { Icon } from "../../shared";
import { fieldOfColumn } from "../columns";
import type { Action } from "../reducer";
import { ruleOf } from "../rows";
import type { Column, Document, Show } from "../types";
import { ColumnFacts } from "./ColumnFacts";
import { FoldEditor } from "./FoldEditor";
import { GroupChart } from "./GroupChart";
import { Formats, withoutDefaults } from "./Formats";
import { FormulaEditor } from "./FormulaEditor";
import { OtherHeadings } from "./OtherHeadings";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  column: Column | undefined;
  field: FieldInfo | undefined;
  group: FieldGroup | undefined;
  groups: FieldGroup[];
  start: RecordTypeFields | undefined;
  /** The columns of the sheet, its first rows as the file will show them, and where the column stands in it. */
  sheet: SheetColumn[];
  rows: (string | null)[][];
  place: number;
  onNarrow: (field: FieldInfo, value: string) => void;
  problems: Problem[];
  editable: boolean;
  dispatch: (action: Action) => void;
}

/** What a column is, where it comes from, and how its values stand on paper. */
export function ThisColumn(props: Props) {
  const {
    document,
    column,
    field,
    group,
    groups,
    start,
    sheet,
    rows,
    place,
    problems,
    editable,
    dispatch,
    onNarrow,
  } = props;
  if (!column) {
    return (
      <div className="nothing">
        {tr("Click a heading in the sheet to see where it comes from and how it is shown.")}
      </div>
    );
  }
  const info = sheet[place];
  const values = place < 0 ? [] : rows.slice(0, 4).map((r) => r[place] ?? null);
  const columns = document.columns ?? [];
  const position = columns.indexOf(column);
  const show = column.show ?? {};
  const set = (part: Show) =>
    dispatch({ type: "setShow", id: column.id, show: withoutDefaults({ ...show, ...part }) });
  const order = document.order ?? [];
  const level = order.findIndex((o) => o.column === column.id);
  const orderBy = (direction: string) => {
    const rest = order.filter((o) => o.column !== column.id);
    const mine = { column: column.id, direction: direction as "ascending" | "descending" };
    dispatch({
      type: "setOrder",
      order: direction ? (level === 0 ? [mine, ...rest] : [...rest, mine]) : rest,
    });
  };
  const wrong = (part: string) =>
    problems
      .filter((p) => p.place.startsWith(`columns[${position}].${part}`))
      .map((p) => (
        <div key={p.message} className="field-trouble" role="alert">
          {p.message}
        </div>
      ));

  return (
    <fieldset className="shelf-form" disabled={!editable} key={column.id}>
      <Form.Group controlId="column-heading">
        <Form.Label>{tr("Heading")}</Form.Label>
        <Form.Control
          value={column.heading}
          isInvalid={problems.some((p) => p.place === `columns[${position}].heading`)}
          onChange={(e) => dispatch({ type: "setHeading", id: column.id, heading: e.target.value })}
        />
        {wrong("heading")}
      </Form.Group>
      <OtherHeadings
        column={column}
        onHeadings={(headings) => dispatch({ type: "setColumn", id: column.id, change: { headings } })}
      />
      {"constant" in column.value ? (
        <Form.Group controlId="column-constant">
          <Form.Label>{tr("The same text in every row")}</Form.Label>
          <Form.Control
            value={column.value.constant}
            onChange={(e) =>
              dispatch({ type: "setColumn", id: column.id, change: { value: { constant: e.target.value } } })
            }
          />
        </Form.Group>
      ) : "formula" in column.value ? (
        <>
          <FormulaEditor
            id="column-formula"
            label={tr("Formula")}
            formula={column.value.formula}
            groups={groups}
            columns={columns.filter((c) => c.id !== column.id)}
            problems={problems.filter((p) => p.place.startsWith(`columns[${position}].value`))}
            onChange={(formula) =>
              dispatch({ type: "setColumn", id: column.id, change: { value: { formula: formula || " " } } })
            }
          />
          <FirstValues values={values} />
        </>
      ) : "fold" in column.value ? (
        <>
          <FoldEditor
            document={document}
            fold={column.value.fold}
            start={start}
            onChange={(fold) => dispatch({ type: "setColumn", id: column.id, change: { value: { fold } } })}
          />
          <FirstValues values={values} />
        </>
      ) : (
        <>
          <Origin path={column.value.field} field={field} trail={info?.trail} />
          {field && group && (
            <ColumnFacts
              records={group.records}
              field={field.path.split(".").at(-1)!}
              onValue={editable ? (value) => onNarrow(field, value) : undefined}
            />
          )}
          {field && ruleOf(document).per === "group" && (
            <p className="soft small mb-0">{tr("It is one of the values that rows are grouped by.")}</p>
          )}
        </>
      )}
      {!("formula" in column.value) && wrong("value")}
      {info && NUMBERS.includes(info.kind) && ruleOf(document).per === "group" && (
        <GroupChart columns={sheet} rows={rows} place={place} show={show} />
      )}
      {field && <Formats field={field} show={show} set={set} />}
      {!field && info && !("constant" in column.value) && (
        <Formats field={fieldOfColumn(info)} show={show} set={set} />
      )}
      {wrong("show")}
      {"field" in column.value && ownField(document, column.value.field) && (
        <Form.Check
          id="column-editable"
          label={tr("may be edited outside and given back")}
          checked={column.editable ?? false}
          onChange={(e) =>
            dispatch({
              type: "setColumn",
              id: column.id,
              change: { editable: e.target.checked || undefined },
            })
          }
        />
      )}
      <Form.Group controlId="column-meaning">
        <Form.Label>{tr("What it means, in the dictionary")}</Form.Label>
        <Form.Control
          as="textarea"
          rows={2}
          maxLength={1000}
          placeholder={field?.meaning || tr("as the catalogue says")}
          value={column.meaning ?? ""}
          onChange={(e) =>
            dispatch({ type: "setColumn", id: column.id, change: { meaning: e.target.value || undefined } })
          }
        />
      </Form.Group>
      <Form.Group controlId="column-blank">
        <Form.Label>{tr("Where there is no value")}</Form.Label>
        <Form.Control
          placeholder={tr("left empty")}
          value={column.blank ?? ""}
          onChange={(e) =>
            dispatch({ type: "setColumn", id: column.id, change: { blank: e.target.value || undefined } })
          }
        />
      </Form.Group>
      {document.output?.style === "reader" && info && NUMBERS.includes(info.kind) && (
        <Form.Group controlId="column-total">
          <Form.Label>{tr("In totals")}</Form.Label>
          <Form.Select
            value={column.total ?? ""}
            onChange={(e) =>
              dispatch({
                type: "setColumn",
                id: column.id,
                change: { total: (e.target.value || undefined) as Column["total"] },
              })
            }
          >
            <option value="">{tr("nothing")}</option>
            <option value="sum">{tr("the sum")}</option>
            <option value="mean">{tr("the mean")}</option>
            <option value="count">{tr("how many")}</option>
            <option value="least">{tr("the least")}</option>
            <option value="greatest">{tr("the greatest")}</option>
          </Form.Select>
        </Form.Group>
      )}
      {!("constant" in column.value) && (
        <Form.Group controlId="column-order">
          <Form.Label>{tr("Order of the rows")}</Form.Label>
          <Form.Select
            value={level < 0 ? "" : (order[level]?.direction ?? "ascending")}
            onChange={(e) => orderBy(e.target.value)}
          >
            <option value="">{tr("not by this column")}</option>
            <option value="ascending">{tr("by this column, least first")}</option>
            <option value="descending">{tr("by this column, greatest first")}</option>
          </Form.Select>
        </Form.Group>
      )}
      <div className="d-flex gap-2 flex-wrap">
        <Button
          variant="quiet"
          disabled={position === 0}
          onClick={() => dispatch({ type: "moveColumn", id: column.id, to: position - 1 })}
        >
          {tr("Move left")}
        </Button>
        <Button
          variant="quiet"
          disabled={position === columns.length - 1}
          onClick={() => dispatch({ type: "moveColumn", id: column.id, to: position + 1 })}
        >
          {tr("Move right")}
        </Button>
        <Button variant="quiet" onClick={() => dispatch({ type: "copyColumns", ids: [column.id] })}>
          {tr("Copy")}
        </Button>
        <Button
          variant="quiet"
          className="text-danger ms-auto"
          onClick={() => dispatch({ type: "removeColumns", ids: [column.id] })}
        >
          <Icon name="trash" /> {tr("Remove")}
        </Button>
      </div>
    </fieldset>
  );
}

const NUMBERS = ["integer", "decimal"];

/** What the first rows come to, as it is typed. */
function FirstValues({ values }: { values: (string | null)[] }) {
  if (values.length === 0) return null;
  return (
    <div className="first-values" aria-live="polite">
      <span className="soft small">{tr("On the first rows:")}</span>
      {values.slice(0, 4).map((v, n) => (
        <span key={n} className={`mono ${v ? "" : "soft"}`}>
          {v ?? tr("empty")}
        </span>
      ))}
    </div>
  );
}

function Origin({
  path,
  field,
  trail,
}: {
  path: string;
  field: FieldInfo | undefined;
  trail: string | undefined;
}) {
  return (
    <div>
      <div className="soft small">
        {trail && <>{trail} · </>}
        {tr("comes from")} <span className="mono">{field?.column ?? path}</span>
        {field?.unit && <> {tr("in {{unit}}", { unit: field.unit })}</>}
      </div>
      {field?.meaning && <div>{field.meaning}</div>}
      {field?.personal && (
        <div className="text-danger">
          <Icon name="shield" /> {tr("Personal data: it leaves the house with every file.")}
        </div>
      )}
      {field?.retired && (
        <div className="field-trouble">
          {tr("Retired: {{retired}}", { retired: field.retired })}{" "}
          {field.substitute && <>{tr("Take {{substitute}} instead.", { substitute: field.substitute })}</>}
        </div>
      )}
    </div>
  );
}

/** Whether a field belongs to the very record that a row stands for. */
function ownField(document: Document, path: string): boolean {
  const rule = ruleOf(document);
  if (rule.per === "group") return false;
  const before = rule.per === "child" ? `${rule.path}.` : "";
  return path.startsWith(before) && !path.slice(before.length).includes(".");
}
