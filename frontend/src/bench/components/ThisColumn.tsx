import { Button, Form } from "react-bootstrap";
import type { FieldGroup, FieldInfo, Problem, RecordTypeFields, SheetColumn } from "../../api";
import { Icon } from "../../shared";
import { fieldOfColumn } from "../../document/columns";
import type { Action } from "../../document/reducer";
import { ruleOf } from "../../document/rows";
import type { Column, Document, Show } from "../../document/types";
import { ColumnValue } from "./ColumnValue";
import { GroupChart } from "./GroupChart";
import { Formats, withoutDefaults } from "./Formats";
import { OtherHeadings } from "./OtherHeadings";
import { tr } from "../../i18n";

export interface ColumnProps {
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
export function ThisColumn(props: ColumnProps) {
  const { document, column, field, sheet, rows, place, problems, editable, dispatch } = props;
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
      <ColumnValue {...props} column={column} trail={info?.trail} values={values} />
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
        <ColumnTotal
          column={column}
          onTotal={(total) => dispatch({ type: "setColumn", id: column.id, change: { total } })}
        />
      )}
      {!("constant" in column.value) && (
        <ColumnOrder document={document} column={column} dispatch={dispatch} />
      )}
      <ColumnActs columns={columns} column={column} dispatch={dispatch} />
    </fieldset>
  );
}

interface OfColumn {
  column: Column;
  dispatch: (action: Action) => void;
}

/** Whether the rows are put in order by a column. */
function ColumnOrder({ document, column, dispatch }: OfColumn & { document: Document }) {
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
  return (
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
  );
}

/** What stands of a column in the lines between the rows. */
function ColumnTotal({ column, onTotal }: { column: Column; onTotal: (total: Column["total"]) => void }) {
  return (
    <Form.Group controlId="column-total">
      <Form.Label>{tr("In totals")}</Form.Label>
      <Form.Select
        value={column.total ?? ""}
        onChange={(e) => onTotal((e.target.value || undefined) as Column["total"])}
      >
        <option value="">{tr("nothing")}</option>
        <option value="sum">{tr("the sum")}</option>
        <option value="mean">{tr("the mean")}</option>
        <option value="count">{tr("how many")}</option>
        <option value="least">{tr("the least")}</option>
        <option value="greatest">{tr("the greatest")}</option>
      </Form.Select>
    </Form.Group>
  );
}

/** What can be done with a column as a whole. */
function ColumnActs({ columns, column, dispatch }: OfColumn & { columns: readonly Column[] }) {
  const position = columns.indexOf(column);
  return (
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
  );
}

const NUMBERS = ["integer", "decimal"];

/** Whether a field belongs to the very record that a row stands for. */
function ownField(document: Document, path: string): boolean {
  const rule = ruleOf(document);
  if (rule.per === "group") return false;
  const before = rule.per === "child" ? `${rule.path}.` : "";
  return path.startsWith(before) && !path.slice(before.length).includes(".");
}
