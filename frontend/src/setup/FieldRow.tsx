import { useState } from "react";
import type { KeyboardEvent } from "react";
import { Dropdown, Form } from "react-bootstrap";
import type { CatalogueEdit, CuratedField } from "../api";
import { Icon } from "../shared";
import type { TextColumn } from "./cells";
import { editOf, pasted, tableEdit } from "./cells";
import { tr } from "../i18n";

interface Props {
  table: string;
  fields: CuratedField[];
  at: number;
  /** The classes of personal data. */
  classes: { name: string; title: string }[];
  onEdit: (edits: CatalogueEdit[]) => void;
  /** Asks to change the formula of a field that one makes. */
  onFormula: () => void;
}

/** A field as a row of the sheet: each cell is edited where it stands. */
export function FieldRow({ table, fields, at, classes, onEdit, onFormula }: Props) {
  const field = fields[at]!;
  const put = (change: Partial<CatalogueEdit>) => onEdit([editOf(table, field, change)]);
  const guessed = field.guesses.length > 0;
  const text = (column: TextColumn, hint = "") => (
    <TextCell
      label={tr("{{captions}} of {{column}}", { captions: CAPTIONS[column], column: field.column })}
      column={column}
      row={at}
      hint={hint}
      value={field[column]}
      onChange={(value) => (column === "label" && !value ? undefined : put({ [column]: value }))}
      onPaste={(lines) => onEdit(pasted(table, fields, at, column, lines))}
    />
  );
  return (
    <tr className={guessed ? "guessed" : undefined}>
      <td className={field.retired !== null ? "retired" : undefined}>{text("label")}</td>
      <td className="mono">
        {field.formula ? (
          <button
            type="button"
            className="btn btn-link p-0 formula"
            title={field.formula}
            onClick={onFormula}
          >
            = {field.formula}
          </button>
        ) : (
          field.column
        )}
      </td>
      <td>
        <Form.Select
          size="sm"
          aria-label={tr("Kind of {{column}}", { column: field.column })}
          value={field.kind}
          disabled={field.kinds.length < 2}
          onChange={(e) => put({ kind: e.target.value as CuratedField["kind"] })}
        >
          {field.kinds.map((kind) => (
            <option key={kind} value={kind}>
              {KINDS[kind]}
              {kind === "choice" && `, ${field.choices.length}`}
            </option>
          ))}
        </Form.Select>
      </td>
      <td className="unit">{text("unit")}</td>
      <td className="meaning">{text("meaning", tr("no meaning yet"))}</td>
      <td className="part">{text("part_of")}</td>
      <td className="text-center">
        <Form.Check
          aria-label={tr("{{label}} is an everyday field", { label: field.label })}
          checked={field.everyday}
          onChange={(e) => put({ everyday: e.target.checked })}
        />
      </td>
      <td>
        <Form.Select
          size="sm"
          aria-label={tr("Personal data in {{label}}", { label: field.label })}
          value={field.personal ? field.personal_class : ""}
          onChange={(e) =>
            put(
              e.target.value
                ? {
                    personal: true,
                    personal_class: e.target.value as NonNullable<CatalogueEdit["personal_class"]>,
                  }
                : { personal: false },
            )
          }
        >
          <option value="">{tr("none")}</option>
          {classes.map((c) => (
            <option key={c.name} value={c.name}>
              {c.title.toLowerCase()}
            </option>
          ))}
        </Form.Select>
      </td>
      <td className="mono example">{field.example}</td>
      <td className="num">{field.fill === null ? "" : `${Math.round(field.fill * 100)}%`}</td>
      <td className="text-nowrap">
        {guessed && (
          <button
            type="button"
            className="btn btn-quiet btn-sm"
            title={field.guesses.map((g) => `${g.what}: ${g.why}`).join("\n")}
            aria-label={tr("Keep what is guessed of {{label}}", { label: field.label })}
            onClick={() => put({ label: field.label })}
          >
            <Icon name="check" /> {tr("guessed")}
          </button>
        )}
        {offeredKind(field) && (
          <button
            type="button"
            className="btn btn-quiet btn-sm"
            title={field.guesses.find((g) => g.what.startsWith(COULD_BE))?.why}
            onClick={() => put({ kind: offeredKind(field) })}
          >
            {tr("read as {{kinds}}", { kinds: KINDS[offeredKind(field)!] })}
          </button>
        )}
        <More
          field={field}
          onEdit={put}
          onRemove={() => onEdit([tableEdit(table, { without_made: field.name })])}
        />
      </td>
    </tr>
  );
}

const COULD_BE = tr("could be ");

/** The kind that the values of a text could be read as. */
function offeredKind(field: CuratedField): CuratedField["kind"] | undefined {
  const offered = field.guesses.find((g) => g.what.startsWith(COULD_BE))?.what.slice(COULD_BE.length);
  return field.kinds.find((kind) => kind === offered);
}

const CAPTIONS: Record<TextColumn, string> = {
  label: tr("Label"),
  unit: tr("Unit"),
  meaning: tr("Meaning"),
  part_of: tr("Part of what"),
};

const KINDS: Record<CuratedField["kind"], string> = {
  text: tr("text"),
  integer: tr("whole number"),
  decimal: tr("decimal"),
  boolean: tr("yes or no"),
  date: tr("date"),
  timestamp: tr("date and time"),
  moment: tr("moment"),
  time: tr("time"),
  choice: tr("choice"),
  identifier: tr("identifier"),
  file: tr("file"),
  other: tr("other"),
};

interface MoreProps {
  field: CuratedField;
  onEdit: (change: Partial<CatalogueEdit>) => void;
  onRemove: () => void;
}

function More({ field, onEdit, onRemove }: MoreProps) {
  const used = field.used_by.length;
  return (
    <Dropdown align="end" className="d-inline-block">
      <Dropdown.Toggle
        variant="quiet"
        size="sm"
        bsPrefix="btn"
        aria-label={tr("More about {{label}}", { label: field.label })}
      >
        …
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {field.formula ? (
          <Dropdown.Item as="button" onClick={onRemove}>
            {tr("Remove it")}
          </Dropdown.Item>
        ) : field.retired === null ? (
          <Dropdown.Item as="button" onClick={() => onEdit({ retired: tr("No longer kept up.") })}>
            {tr("Retire it: no longer offered first")}
          </Dropdown.Item>
        ) : (
          <Dropdown.Item as="button" onClick={() => onEdit({ retired: "" })}>
            {tr("No longer retired")}
          </Dropdown.Item>
        )}
        <Dropdown.ItemText className="soft">
          {used === 0
            ? tr("No template uses it.")
            : tr("Used by {{used_by}}{{used}}", {
                used_by: field.used_by.slice(0, 4).join(", "),
                used: used > 4 ? "…" : "",
              })}
        </Dropdown.ItemText>
      </Dropdown.Menu>
    </Dropdown>
  );
}

interface CellProps {
  label: string;
  column: TextColumn;
  row: number;
  hint: string;
  value: string;
  onChange: (value: string) => void;
  onPaste: (text: string) => void;
}

/** A text of the sheet: arrows and Enter go to the next row, a pasted column fills the rows below. */
function TextCell({ label, column, row, hint, value, onChange, onPaste }: CellProps) {
  const [text, setText] = useState(value);
  const [known, setKnown] = useState(value);
  if (known !== value) {
    setKnown(value);
    setText(value);
  }
  const onKeyDown = (event: KeyboardEvent<HTMLInputElement>) => {
    const step = { ArrowDown: 1, Enter: 1, ArrowUp: -1 }[event.key];
    if (event.key === "Escape") setText(value);
    if (!step) return;
    event.preventDefault();
    const body = event.currentTarget.closest("tbody");
    const next = body?.querySelector<HTMLInputElement>(`[data-cell="${column} ${row + step}"]`);
    if (next) next.focus();
    else event.currentTarget.blur();
  };
  return (
    <input
      className="sheet-cell"
      data-cell={`${column} ${row}`}
      aria-label={label}
      placeholder={hint}
      maxLength={2000}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onKeyDown={onKeyDown}
      onBlur={() => {
        if (text.trim() !== value) onChange(text.trim());
      }}
      onPaste={(e) => {
        const lines = e.clipboardData.getData("text");
        if (!/\n./.test(lines)) return;
        e.preventDefault();
        onPaste(lines);
      }}
    />
  );
}
