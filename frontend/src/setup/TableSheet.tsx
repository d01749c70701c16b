import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { CatalogueEdit, CuratedField, CuratedType } from "../api";
import { Icon, Trouble, capital } from "../shared";
import { FieldRow } from "./FieldRow";
import { tableEdit } from "./cells";
import { useTable } from "./useCatalogue";

interface Props {
  table: string;
  busy: boolean;
  onEdit: (edits: CatalogueEdit[]) => void;
}

/** One record type: what it is called, and its fields in a sheet. */
export function TableSheet({ table, busy, onEdit }: Props) {
  const known = useTable(table);
  const type = known.data;
  if (!type) return <Trouble error={known.error} />;
  const guessed = type.fields.filter((f) => f.guesses.length > 0).length;
  return (
    <section className="slab catalogue-sheet" aria-label={capital(type.plural)} aria-busy={busy}>
      <Head type={type} guessed={guessed} onEdit={onEdit} />
      <div className="catalogue-scroll">
        <table className="board plain">
          <thead>
            <tr>
              <th>Label</th>
              <th>In the database</th>
              <th>Kind</th>
              <th>Unit</th>
              <th>Meaning</th>
              <th>Everyday</th>
              <th>Personal</th>
              <th>Example</th>
              <th className="num">Full</th>
              <th>
                <span className="visually-hidden">Actions</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {type.fields.map((field, n) => (
              <FieldRow key={field.name} table={table} fields={type.fields} at={n} onEdit={onEdit} />
            ))}
          </tbody>
        </table>
      </div>
      <Relations type={type} onEdit={onEdit} />
    </section>
  );
}

interface HeadProps {
  type: CuratedType;
  guessed: number;
  onEdit: (edits: CatalogueEdit[]) => void;
}

function Head({ type, guessed, onEdit }: HeadProps) {
  const put = (change: Partial<CatalogueEdit>) => onEdit([tableEdit(type.table, change)]);
  const titles = type.fields.filter((f) => isTitle(f) || f.name === type.title);
  return (
    <header className="catalogue-head">
      <Name label="One is called" value={type.label} onChange={(label) => put({ label })} />
      <Name label="Several" value={type.plural} onChange={(plural) => put({ plural })} />
      <Form.Group controlId="known-by">
        <Form.Label>Known by</Form.Label>
        <Form.Select size="sm" value={type.title ?? ""} onChange={(e) => put({ title: e.target.value })}>
          {!type.title && <option value="">its key</option>}
          {titles.map((f) => (
            <option key={f.name} value={f.name}>
              {f.label}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <span className="soft mono">{type.table}</span>
      {type.by_row && <span className="tag held">nothing tells rows apart</span>}
      <span className="fill" />
      {guessed > 0 && (
        <Button variant="quiet" onClick={() => put({ keep: true })}>
          <Icon name="check" /> Keep all {guessed} guesses
        </Button>
      )}
      <Button variant="quiet" onClick={() => put({ hidden: true })}>
        Hide
      </Button>
    </header>
  );
}

function isTitle(field: CuratedField): boolean {
  return ["text", "identifier", "integer", "date"].includes(field.kind) && field.retired === null;
}

function Name({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
}) {
  const [text, setText] = useState(value);
  const [known, setKnown] = useState(value);
  if (known !== value) {
    setKnown(value);
    setText(value);
  }
  const done = () => {
    if (text.trim() && text.trim() !== value) onChange(text.trim());
    else setText(value);
  };
  return (
    <Form.Group controlId={`name ${label}`}>
      <Form.Label>{label}</Form.Label>
      <Form.Control
        size="sm"
        maxLength={120}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
    </Form.Group>
  );
}

function Relations({ type, onEdit }: { type: CuratedType; onEdit: (edits: CatalogueEdit[]) => void }) {
  return (
    <div className="catalogue-relations">
      <strong>Leads to</strong>
      {type.relations.length === 0 && <span className="soft">no other records</span>}
      {type.relations.map((r) => (
        <span key={r.name} className="tag" title={r.guess ? `guessed: ${r.guess}` : undefined}>
          {r.many ? "many " : ""}
          {r.label}
          {r.guess && <em> guessed</em>}
          {r.made && (
            <button
              type="button"
              className="btn btn-link p-0 ms-1"
              aria-label={`Remove the relation ${r.label}`}
              onClick={() => onEdit([tableEdit(type.table, { without_relation: r.name })])}
            >
              <Icon name="x" />
            </button>
          )}
        </span>
      ))}
    </div>
  );
}
