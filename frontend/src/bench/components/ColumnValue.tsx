import { Form } from "react-bootstrap";
import type { FieldInfo } from "../../api";
import { Icon } from "../../shared";
import { ruleOf } from "../../document/rows";
import type { Column } from "../../document/types";
import { ColumnFacts } from "./ColumnFacts";
import { FoldEditor } from "./FoldEditor";
import { FormulaEditor } from "../../document/components/FormulaEditor";
import type { ColumnProps } from "./ThisColumn";
import { tr } from "../../i18n";

interface ValueProps extends ColumnProps {
  column: Column;
  trail: string | undefined;
  values: (string | null)[];
}

/** What stands in a column: one text, a formula, a fold, or a field. */
export function ColumnValue(props: ValueProps) {
  const {
    document,
    column,
    field,
    group,
    groups,
    start,
    problems,
    editable,
    dispatch,
    onNarrow,
    trail,
    values,
  } = props;
  const columns = document.columns ?? [];
  const position = columns.indexOf(column);
  return "constant" in column.value ? (
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
      <Origin path={column.value.field} field={field} trail={trail} />
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
  );
}

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
