import { Button, Form } from "react-bootstrap";
import { Icon } from "../../shared";
import type { Tint } from "../../document/types";
import { tr } from "../../i18n";

const COMPARED: [NonNullable<Tint["is"]>, string][] = [
  ["is", tr("is")],
  ["is_not", tr("is not")],
  ["less_than", tr("is less than, or before")],
  ["at_most", tr("is at most, or until")],
  ["greater_than", tr("is greater than, or after")],
  ["at_least", tr("is at least, or from")],
  ["is_blank", tr("is blank")],
];

const COLOURS: [NonNullable<Tint["tint"]>, string][] = [
  ["amber", tr("amber")],
  ["rose", tr("rose")],
  ["moss", tr("moss")],
  ["sky", tr("sky")],
];

interface Props {
  tints: Tint[];
  columns: { id: string; heading: string }[];
  onChange: (tints: Tint[]) => void;
}

/** Colours behind cells or rows of a spreadsheet, each by a rule. */
export function TintRules({ tints, columns, onChange }: Props) {
  const put = (n: number, part: Partial<Tint>) =>
    onChange(tints.map((known, k) => (k === n ? { ...known, ...part } : known)));
  return (
    <details open={tints.length > 0}>
      <summary>{tr("Coloured where a value is as said")}</summary>
      {tints.map((tint, n) => (
        <Rule
          key={n}
          tint={tint}
          n={n + 1}
          columns={columns}
          onChange={(part) => put(n, part)}
          onRemove={() => onChange(tints.filter((_, k) => k !== n))}
        />
      ))}
      <Button
        variant="quiet"
        size="sm"
        disabled={columns.length === 0 || tints.length >= 20}
        onClick={() => onChange([...tints, { column: columns[0]?.id ?? "", is: "is", tint: "amber" }])}
      >
        <Icon name="plus" /> {tr("Add a rule")}
      </Button>
    </details>
  );
}

interface RuleProps {
  tint: Tint;
  n: number;
  columns: { id: string; heading: string }[];
  onChange: (part: Partial<Tint>) => void;
  onRemove: () => void;
}

function Rule({ tint, n, columns, onChange, onRemove }: RuleProps) {
  const compared = tint.is ?? "is";
  return (
    <fieldset className="tint-rule" aria-label={tr("Rule {{n}}", { n })}>
      <Form.Select
        size="sm"
        aria-label={tr("Column")}
        value={tint.column}
        onChange={(e) => onChange({ column: e.target.value })}
      >
        {!columns.some((c) => c.id === tint.column) && <option value={tint.column}>{tint.column}</option>}
        {columns.map((c) => (
          <option key={c.id} value={c.id}>
            {c.heading}
          </option>
        ))}
      </Form.Select>
      <Form.Select
        size="sm"
        aria-label={tr("Comparison")}
        value={compared}
        onChange={(e) => onChange({ is: e.target.value as Tint["is"] })}
      >
        {COMPARED.map(([name, words]) => (
          <option key={name} value={name}>
            {words}
          </option>
        ))}
      </Form.Select>
      {compared !== "is_blank" && (
        <Form.Control
          size="sm"
          aria-label={tr("Value")}
          placeholder={tr("12.5, 2026-11-28 or a text")}
          maxLength={200}
          value={tint.value ?? ""}
          onChange={(e) => onChange({ value: e.target.value })}
        />
      )}
      <div className="tint-colours" role="radiogroup" aria-label={tr("Colour")}>
        {COLOURS.map(([name, words]) => (
          <label key={name} className={`tint-${name}`} title={words}>
            <input
              type="radio"
              name={`tint-${n}`}
              aria-label={words}
              checked={(tint.tint ?? "amber") === name}
              onChange={() => onChange({ tint: name })}
            />
          </label>
        ))}
        <Form.Check
          id={`tint-row-${n}`}
          label={tr("the whole row")}
          checked={tint.row ?? false}
          onChange={(e) => onChange({ row: e.target.checked })}
        />
        <Button
          variant="link"
          className="ms-auto p-0"
          aria-label={tr("Remove rule {{n}}", { n })}
          onClick={onRemove}
        >
          <Icon name="x" />
        </Button>
      </div>
    </fieldset>
  );
}
