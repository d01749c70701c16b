import { useState } from "react";
import { Form } from "react-bootstrap";
import type { CatalogueEdit, CatalogueTable, CuratedField, CuratedType } from "../api";
import { FormDialog, capital } from "../shared";
import { tableEdit } from "./cells";
import { useTable } from "./useCatalogue";
import { tr } from "../i18n";

interface Props {
  type: CuratedType;
  busy: boolean;
  error: unknown;
  onEdit: (edit: CatalogueEdit) => void;
  onClose: () => void;
}

/** A field that a formula makes, once for all templates. */
export function FieldDialog({ type, field, busy, error, onEdit, onClose }: Props & { field?: CuratedField }) {
  const [label, setLabel] = useState(field?.label ?? "");
  const [formula, setFormula] = useState(field?.formula ?? "");
  const [meaning, setMeaning] = useState(field?.meaning ?? "");
  const made = { label: label.trim(), formula: formula.trim(), meaning: meaning.trim() };
  return (
    <FormDialog
      title={
        field
          ? tr("How “{{label}}” is made", { label: field.label })
          : tr("A field of {{type}}, made by a formula", { type: type.plural })
      }
      act={field ? tr("Change it") : tr("Make it")}
      ready={made.label !== "" && made.formula !== ""}
      busy={busy}
      error={error}
      onAct={() => onEdit(tableEdit(type.table, { made, field: field?.name }))}
      onClose={onClose}
    >
      <Text id="made-label" label={tr("Label")} value={label} onChange={setLabel} />
      <Formula id="made-formula" label={tr("Formula")} type={type} value={formula} onChange={setFormula} />
      <Text id="made-meaning" label={tr("Meaning (optional)")} value={meaning} onChange={setMeaning} />
      <p className="soft mb-0">
        {tr("Every template can use it like a field of the database. It is personal where a field in it is.")}
      </p>
    </FormDialog>
  );
}

/** A record type made from another: those of its records for which something is true. */
export function TypeDialog({ type, busy, error, onEdit, onClose }: Props) {
  const known = type.made_of !== "";
  const [label, setLabel] = useState(known ? type.label : "");
  const [plural, setPlural] = useState(known ? type.plural : "");
  const [test, setTest] = useState(known ? testOf(type) : "");
  const made = {
    label: label.trim(),
    plural: plural.trim(),
    where: { all: [{ formula: test.trim() }] },
    meaning: known ? type.meaning : "",
  };
  return (
    <FormDialog
      title={
        known
          ? tr("Which records are {{type}}", { type: type.plural })
          : tr("Some of the {{type}}, as records of their own", { type: type.plural })
      }
      act={known ? tr("Change it") : tr("Make them")}
      ready={made.label !== "" && made.plural !== "" && test.trim() !== ""}
      busy={busy}
      error={error}
      onAct={() => onEdit(tableEdit(type.table, { made_type: made }))}
      onClose={onClose}
    >
      <Text id="type-label" label={tr("One is called")} value={label} onChange={setLabel} />
      <Text id="type-plural" label={tr("Several")} value={plural} onChange={setPlural} />
      <Formula
        id="type-test"
        label={tr("Those for which this is true")}
        type={type}
        value={test}
        onChange={setTest}
      />
      <p className="soft mb-0">{tr("The narrowing stands in the tally of every template made of them.")}</p>
    </FormDialog>
  );
}

/** The formula by which a record type was made here; other narrowings come from a document. */
function testOf(type: CuratedType): string {
  const all = type.where && "all" in type.where ? type.where.all : [];
  const [first] = all;
  return all.length === 1 && first && "formula" in first ? first.formula : "";
}

/** A way to other records that the database does not declare. */
export function RelationDialog({
  type,
  tables,
  busy,
  error,
  onEdit,
  onClose,
}: Props & { tables: CatalogueTable[] }) {
  const [label, setLabel] = useState("");
  const [to, setTo] = useState("");
  const [own, setOwn] = useState("");
  const [theirs, setTheirs] = useState("");
  const [many, setMany] = useState(false);
  const target = useTable(to || undefined).data;
  const relation = { label: label.trim(), to, columns: { [own]: theirs }, many };
  return (
    <FormDialog
      title={tr("From {{type}} to other records", { type: type.plural })}
      act={tr("Make it")}
      ready={relation.label !== "" && to !== "" && own !== "" && theirs !== ""}
      busy={busy}
      error={error}
      onAct={() => onEdit(tableEdit(type.table, { relation }))}
      onClose={onClose}
    >
      <Text id="relation-label" label={tr("It is called")} value={label} onChange={setLabel} />
      <Choice id="relation-to" label={tr("It leads to")} value={to} onChange={setTo}>
        {tables
          .filter((t) => !t.hidden && !t.table.startsWith("#"))
          .map((t) => (
            <option key={t.table} value={t.table}>
              {capital(t.plural)}
            </option>
          ))}
      </Choice>
      <div className="source-parts">
        <Choice
          id="relation-own"
          label={tr("where this of the {{type}}", { type: type.label })}
          value={own}
          onChange={setOwn}
        >
          <Columns of={type} />
        </Choice>
        <Choice
          id="relation-theirs"
          label={target ? tr("equals this of the {{target}}", { target: target.label }) : tr("equals")}
          value={theirs}
          onChange={setTheirs}
        >
          {target && <Columns of={target} />}
        </Choice>
      </div>
      <Form.Check
        id="relation-many"
        label={tr("One may lead to several of them")}
        checked={many}
        onChange={(e) => setMany(e.target.checked)}
      />
    </FormDialog>
  );
}

function Columns({ of }: { of: CuratedType }) {
  return of.fields
    .filter((f) => !f.formula)
    .map((f) => (
      <option key={f.name} value={f.column}>
        {f.label} ({f.column})
      </option>
    ));
}

interface TextProps {
  id: string;
  label: string;
  value: string;
  onChange: (value: string) => void;
}

function Text({ id, label, value, onChange }: TextProps) {
  return (
    <Form.Group controlId={id} className="mb-2">
      <Form.Label>{label}</Form.Label>
      <Form.Control maxLength={120} value={value} onChange={(e) => onChange(e.target.value)} />
    </Form.Group>
  );
}

function Choice({ children, ...text }: TextProps & { children: React.ReactNode }) {
  return (
    <Form.Group controlId={text.id} className="mb-2">
      <Form.Label>{text.label}</Form.Label>
      <Form.Select value={text.value} onChange={(e) => text.onChange(e.target.value)}>
        <option value="">{tr("choose…")}</option>
        {children}
      </Form.Select>
    </Form.Group>
  );
}

/** A formula, with the fields that it can be made of below it: one press puts one in. */
function Formula({ type, ...text }: TextProps & { type: CuratedType }) {
  return (
    <Form.Group controlId={text.id} className="mb-2">
      <Form.Label>{text.label}</Form.Label>
      <Form.Control
        as="textarea"
        rows={2}
        className="mono"
        maxLength={4000}
        value={text.value}
        onChange={(e) => text.onChange(e.target.value)}
      />
      <div className="made-of" aria-label={tr("Fields to put in")}>
        {type.fields
          .filter((f) => !f.formula)
          .slice(0, 40)
          .map((f) => (
            <button
              key={f.name}
              type="button"
              className="btn btn-quiet btn-sm"
              title={`{${f.name}}`}
              onClick={() => text.onChange(`${text.value}{${f.name}}`)}
            >
              {f.label}
            </button>
          ))}
      </div>
    </Form.Group>
  );
}
