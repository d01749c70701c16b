import type { FieldGroup, FieldInfo } from "../../api";
import { Icon } from "../../shared";
import type { How } from "../chosen";
import type { Part } from "../../document/search";
import { partsOf } from "../../document/search";
import { ShelfField } from "./ShelfField";
import { tr } from "../../i18n";

interface Props {
  /** The fields that are shown, of `whole`. */
  group: FieldGroup;
  whole: FieldGroup;
  text: string;
  used: Set<string>;
  chosen: string[];
  editable: boolean;
  onChoose?: (path: string, how: How) => void;
  together: (path: string) => string[];
  onAdd: (field: FieldInfo) => void;
  onAddMany: (fields: { field: FieldInfo; group: FieldGroup }[]) => void;
}

/** The fields of one record that a row leads to; first what several of them are together, such as an address. */
export function ShelfGroup({ group, whole, text, used, chosen, editable, ...on }: Props) {
  const addAll = (fields: FieldInfo[]) =>
    on.onAddMany(
      fields.filter((f) => !used.has(f.path) && !f.retired).map((field) => ({ field, group: whole })),
    );
  return (
    <section aria-label={group.label}>
      <div className="group">
        {group.label}
        <span>
          {group.note}
          {editable && text === "" && (
            <button type="button" className="btn-link-plain ms-2" onClick={() => addAll(group.fields)}>
              {tr("add all")}
              <span className="visually-hidden"> {tr("of {{group}}", { group: group.label })}</span>
            </button>
          )}
        </span>
      </div>
      {partsOf(whole, text).map((part) => (
        <ShelfPart key={part.label} part={part} editable={editable} onAdd={() => addAll(part.fields)} />
      ))}
      {group.fields.map((field) => (
        <ShelfField
          key={field.path}
          field={field}
          used={used.has(field.path)}
          editable={editable}
          chosen={chosen.includes(field.path)}
          onChoose={on.onChoose}
          together={on.together}
          onAdd={on.onAdd}
        />
      ))}
    </section>
  );
}

/** Fields that belong together: Enter or a double click adds those that are not in the sheet yet. */
function ShelfPart({ part, editable, onAdd }: { part: Part; editable: boolean; onAdd: () => void }) {
  return (
    <button
      type="button"
      className="shelf-field"
      title={tr("{{fields}} fields, added together", { fields: part.fields.length })}
      onDoubleClick={() => editable && onAdd()}
      onKeyDown={(event) => {
        if (event.key !== "Enter" || !editable) return;
        event.preventDefault();
        onAdd();
      }}
    >
      <Icon name="layers" />
      <span className="d-block overflow-hidden">
        <span className="nm">{part.label}</span>{" "}
        <span className="soft small">{tr("{{fields}} together", { fields: part.fields.length })}</span>
        <span className="eg one-line d-block">{part.fields.map((f) => f.label).join(" · ")}</span>
      </span>
    </button>
  );
}

interface TagsProps {
  label: string;
  fields: { field: FieldInfo; group: FieldGroup }[];
  editable: boolean;
  onAdd: (field: FieldInfo, group: FieldGroup) => void;
}

/** A few fields, one press each. */
export function ShelfTags({ label, fields, editable, onAdd }: TagsProps) {
  if (fields.length === 0) return null;
  return (
    <section aria-label={label}>
      <div className="group">{label}</div>
      <div className="recent">
        {fields.map(({ field, group }) => (
          <button
            key={field.path}
            type="button"
            className="tag"
            disabled={!editable}
            onClick={() => onAdd(field, group)}
            title={group.path ? group.label : ""}
          >
            + {group.path && `${group.label.split(" › ").at(-1)} › `}
            {field.label}
          </button>
        ))}
      </div>
    </section>
  );
}
