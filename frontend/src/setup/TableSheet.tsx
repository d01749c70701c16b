import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { CatalogueEdit, CatalogueTable, CuratedField, CuratedType } from "../api";
import { ActionsHead, Icon, Trouble, capital, useVocabulary } from "../shared";
import { FieldRow } from "./FieldRow";
import { FieldDialog, RelationDialog, TypeDialog } from "./MakeDialogs";
import { RelationPicture } from "./RelationPicture";
import { tableEdit } from "./cells";
import { useCatalogue, useTable } from "./useCatalogue";
import { tr } from "../i18n";

interface Props {
  table: string;
  tables: CatalogueTable[];
  busy: boolean;
  onOpen: (table: string) => void;
  onEdit: (edits: CatalogueEdit[]) => void;
}

/** What is being made: a field (or a known one's formula is changed), a record type, or a relation. */
type Making = { what: "field"; field?: CuratedField } | { what: "type" } | { what: "relation" };

/** One record type: what it is called, and its fields in a sheet. */
export function TableSheet({ table, tables, busy, onOpen, onEdit }: Props) {
  const [making, setMaking] = useState<Making | null>(null);
  const known = useTable(table);
  const classes = useVocabulary().data?.personal ?? [];
  const type = known.data;
  if (!type) return <Trouble error={known.error} />;
  const guessed = type.fields.filter((f) => f.guesses.length > 0).length;
  return (
    <section className="slab catalogue-sheet" aria-label={capital(type.plural)} aria-busy={busy}>
      <Head type={type} guessed={guessed} onEdit={onEdit} onMake={setMaking} />
      <div className="catalogue-scroll">
        <table className="board plain">
          <thead>
            <tr>
              <th>{tr("Label")}</th>
              <th>{tr("In the database")}</th>
              <th>{tr("Kind")}</th>
              <th>{tr("Unit")}</th>
              <th>{tr("Meaning")}</th>
              <th title={tr("Fields that are parts of one thing, such as Address, are offered together.")}>
                {tr("Part of")}
              </th>
              <th>{tr("Everyday")}</th>
              <th>{tr("Personal")}</th>
              <th>{tr("Example")}</th>
              <th className="num">{tr("Full")}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {type.fields.map((field, n) => (
              <FieldRow
                key={field.name}
                table={table}
                fields={type.fields}
                at={n}
                classes={classes}
                onEdit={onEdit}
                onFormula={() => setMaking({ what: "field", field })}
              />
            ))}
          </tbody>
        </table>
      </div>
      <Relations
        type={type}
        tables={tables}
        onOpen={onOpen}
        onEdit={onEdit}
        onMake={() => setMaking({ what: "relation" })}
      />
      {making && <MakeDialog type={type} tables={tables} making={making} onClose={() => setMaking(null)} />}
    </section>
  );
}

interface MakeProps {
  type: CuratedType;
  tables: CatalogueTable[];
  making: Making;
  onClose: () => void;
}

/** The dialog stays, with what is wrong, until what is made can be made. */
function MakeDialog({ type, tables, making, onClose }: MakeProps) {
  const { edit } = useCatalogue();
  const props = {
    type,
    busy: edit.isPending,
    error: edit.error,
    onEdit: (change: CatalogueEdit) => edit.mutate([change], { onSuccess: onClose }),
    onClose,
  };
  if (making.what === "relation") return <RelationDialog {...props} tables={tables} />;
  return making.what === "type" ? <TypeDialog {...props} /> : <FieldDialog {...props} field={making.field} />;
}

interface HeadProps {
  type: CuratedType;
  guessed: number;
  onEdit: (edits: CatalogueEdit[]) => void;
  onMake: (making: Making) => void;
}

function Head({ type, guessed, onEdit, onMake }: HeadProps) {
  const put = (change: Partial<CatalogueEdit>) => onEdit([tableEdit(type.table, change)]);
  const titles = type.fields.filter((f) => isTitle(f) || f.name === type.title);
  const naming = type.fields.filter((f) => ["text", "identifier", "choice"].includes(f.kind));
  return (
    <header className="catalogue-head">
      <Name label={tr("One is called")} value={type.label} onChange={(label) => put({ label })} />
      <Name label={tr("Several")} value={type.plural} onChange={(plural) => put({ plural })} />
      <Told
        id="known-by"
        label={tr("Known by")}
        fields={titles}
        value={type.title}
        none={type.title ? null : tr("its key")}
        onChange={(title) => put({ title })}
      />
      {naming.length > 0 &&
        TOLD.map(([fact, label]) => (
          <Told
            key={fact}
            id={fact}
            label={label}
            fields={naming.concat(type.fields.filter((f) => f.name === type[fact] && !naming.includes(f)))}
            value={type[fact]}
            none={tr("nothing")}
            onChange={(name) => put({ [fact]: name })}
          />
        ))}
      <span className="soft mono">
        {type.made_of ? tr("made from {{made_of}}", { made_of: type.made_of }) : type.table}
      </span>
      {type.by_row && <span className="tag held">{tr("nothing tells rows apart")}</span>}
      <span className="fill" />
      {guessed > 0 && (
        <Button variant="quiet" onClick={() => put({ keep: true })}>
          <Icon name="check" /> {tr("Keep all {{guessed}} guesses", { guessed })}
        </Button>
      )}
      {type.made_of === "" && (
        <Button variant="quiet" onClick={() => onMake({ what: "field" })}>
          <Icon name="plus" /> {tr("A field by formula")}
        </Button>
      )}
      <Button variant="quiet" onClick={() => onMake({ what: "type" })}>
        {type.made_of === "" ? tr("Some of them as records") : tr("Which records")}
      </Button>
      <Button variant="quiet" onClick={() => put({ hidden: true })}>
        {type.made_of === "" ? tr("Hide") : tr("Remove")}
      </Button>
    </header>
  );
}

/** What fields tell of a record: whose it is, who touched it last, and, of a unit, which it is. */
const TOLD = [
  ["belongs_to", tr("Whose it is says")],
  ["touched_by", tr("Who touched it last says")],
  ["unit_by", tr("As a unit told by")],
] as const;

/** The field by which something is told of a record. */
function Told({
  id,
  label,
  fields,
  value,
  none,
  onChange,
}: {
  id: string;
  label: string;
  fields: CuratedField[];
  value: string | null;
  /** What stands for no field; null where there has to be one. */
  none: string | null;
  onChange: (name: string) => void;
}) {
  return (
    <Form.Group controlId={id}>
      <Form.Label>{label}</Form.Label>
      <Form.Select size="sm" value={value ?? ""} onChange={(e) => onChange(e.target.value)}>
        {none !== null && <option value="">{none}</option>}
        {fields.map((f) => (
          <option key={f.name} value={f.name}>
            {f.label}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
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

interface RelationsProps {
  type: CuratedType;
  tables: CatalogueTable[];
  onOpen: (table: string) => void;
  onEdit: (edits: CatalogueEdit[]) => void;
  onMake: () => void;
}

function Relations({ type, tables, onOpen, onEdit, onMake }: RelationsProps) {
  return (
    <div className="catalogue-relations">
      <div className="d-flex align-items-center gap-3">
        <h3 className="h6 m-0">{tr("Hangs together with")}</h3>
        {type.made_of === "" && (
          <Button variant="quiet" size="sm" onClick={onMake}>
            <Icon name="plus" /> {tr("A relation by hand")}
          </Button>
        )}
      </div>
      <RelationPicture
        type={type}
        tables={tables}
        onOpen={onOpen}
        onRemove={(name) => onEdit([tableEdit(type.table, { without_relation: name })])}
      />
    </div>
  );
}
