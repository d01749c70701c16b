import { useState } from "react";
import type { ManyWay } from "../../api";
import { Icon, capital } from "../../shared";
import { useRecordType } from "../../document/hooks/useFields";
import { firstFold } from "../../document/rows";
import type { Column } from "../../document/types";
import { ShelfField } from "./ShelfField";
import { tr } from "../../i18n";

/** Many records per row: their number, or one of their fields, folded into a cell. */
export function ShelfMany({
  way,
  text,
  everyday,
  editable,
  onFold,
}: {
  way: ManyWay;
  text: string;
  everyday: boolean;
  editable: boolean;
  onFold: (value: Column["value"], heading: string) => void;
}) {
  const [open, setOpen] = useState(false);
  const own = `${way.label} ${way.plural}`.toLowerCase().includes(text.trim().toLowerCase());
  const shown = text === "" ? !way.path.includes(".") || open : own;
  const type = useRecordType(shown && (open || text !== "") ? way.records : "");
  if (!shown) return null;
  const fields = (type.data?.groups[0]?.fields ?? []).filter(
    (f) => f.kind !== "file" && (!everyday || f.everyday),
  );
  const counted = firstFold(null, way.path, way.plural);
  return (
    <section aria-label={way.label}>
      <div className="group">
        {capital(way.plural)}
        <span>
          {tr("many each · fold them")}
          <button
            type="button"
            className="btn-link-plain ms-2"
            aria-expanded={open}
            onClick={() => setOpen(!open)}
          >
            {open ? tr("less") : tr("fields")}
            <span className="visually-hidden"> {tr("of {{way}}", { way: way.plural })}</span>
          </button>
        </span>
      </div>
      <button
        type="button"
        className="shelf-field"
        onDoubleClick={() => editable && onFold(counted.value, counted.heading)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && editable) {
            e.preventDefault();
            onFold(counted.value, counted.heading);
          }
        }}
      >
        <Icon name="layers" />
        <span className="d-block">
          <span className="nm">{tr("Number of {{way}}", { way: way.plural })}</span>
          <span className="eg d-block">
            {way.path.includes(".") ? way.label : tr("count · latest · joined …")}
          </span>
        </span>
      </button>
      {open &&
        fields.map((field) => {
          const made = firstFold(field, `${way.path}.${field.path}`, way.plural);
          return (
            <ShelfField
              key={field.path}
              field={field}
              used={false}
              editable={editable}
              draggable={false}
              onAdd={() => onFold(made.value, made.heading)}
            />
          );
        })}
    </section>
  );
}
