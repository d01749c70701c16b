import { useDraggable } from "@dnd-kit/core";
import { memo } from "react";
import type { FieldInfo } from "../../api";
import { Icon, KIND_ICONS, withUnit } from "../../shared";
import type { How } from "../chosen";
import { tr } from "../../i18n";

/** Share of filled rows below which a field counts as poorly filled. */
const LOW = 0.5;

interface Props {
  field: FieldInfo;
  used: boolean;
  editable: boolean;
  draggable?: boolean;
  /** Whether it is one of several that are chosen. */
  chosen?: boolean;
  /** Not given where fields are not chosen together. */
  onChoose?: (path: string, how: How) => void;
  /** The fields that are dragged with it. */
  together?: (path: string) => string[];
  onAdd: (field: FieldInfo) => void;
}

/** A field on the shelf: Enter or a double click adds it, dragging places it, Ctrl and Shift choose several. */
export const ShelfField = memo(function ShelfField({
  field,
  used,
  editable,
  draggable = true,
  chosen = false,
  onChoose,
  together,
  onAdd,
}: Props) {
  const drag = useDraggable({
    id: `field:${field.path}`,
    data: { together: () => together?.(field.path) ?? [field.path] },
    disabled: !editable || !draggable,
  });
  const percent = field.fill === null ? null : percentOf(field.fill);
  const example = field.personal ? "•••" : (field.example ?? tr("no value"));
  return (
    <button
      type="button"
      ref={drag.setNodeRef}
      className="shelf-field"
      data-path={onChoose && field.path}
      title={[
        field.meaning,
        tr("technical name: {{column}}", { column: field.column }),
        field.retired ? tr("Retired: {{retired}}", { retired: field.retired }) : "",
        ...field.guesses.map((g) => tr("Guessed, {{what}}: {{why}}", { what: g.what, why: g.why })),
      ]
        .filter(Boolean)
        .join("\n")}
      onDoubleClick={() => editable && onAdd(field)}
      {...drag.attributes}
      {...drag.listeners}
      role={undefined}
      aria-roledescription={undefined}
      aria-pressed={onChoose ? chosen : undefined}
      onClick={(event) => {
        if (event.detail < 2) onChoose?.(field.path, howOf(event));
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter" && editable) {
          event.preventDefault();
          onAdd(field);
        }
      }}
    >
      <Icon name={KIND_ICONS[field.kind] ?? "fileText"} />
      <span className="d-block overflow-hidden">
        <span className={`nm ${field.retired ? "retired" : ""}`}>{field.label}</span>
        {used && <span className="in-sheet">{tr("in sheet")}</span>}
        {field.personal && (
          <span className="ms-1 text-danger small">
            <Icon
              name="shield"
              label={guessed(field, tr("personal")) ? tr("personal data, guessed") : tr("personal data")}
            />
          </span>
        )}
        {guessed(field, "label") && <span className="guessed-mark">{tr("guessed")}</span>}
        <span className="eg one-line d-block">
          {field.retired
            ? tr("retired{{substitute}} · {{retired}}", {
                substitute: field.substitute
                  ? tr(": take {{substitute}}", { substitute: field.substitute })
                  : "",
                retired: field.retired,
              })
            : withUnit(example ?? "", field.example && !field.personal ? field.unit : "")}
        </span>
      </span>
      {percent !== null && (
        <span
          title={tr("{{exact}}{{percent}} % of the records have it", {
            exact: field.exact ? "" : tr("about "),
            percent,
          })}
        >
          <span className={`fill-bar d-block ${field.fill! < LOW ? "low" : ""}`}>
            <i style={{ width: `${percent}%` }} />
          </span>
          <span className="pc d-block">{percent}%</span>
        </span>
      )}
    </button>
  );
});

/** Whether nobody has said so: it was guessed from names and values. */
function guessed(field: FieldInfo, what: string): boolean {
  return field.guesses.some((g) => g.what === what);
}

/** Never 100 while a record is blank, and never 0 while one is filled. */
function percentOf(fill: number): number {
  return fill === 0 || fill === 1 ? fill * 100 : Math.min(99, Math.max(1, Math.round(fill * 100)));
}

/** A finger has neither Ctrl nor Shift: each touch adds to what is chosen. */
function howOf(event: React.MouseEvent): How {
  if (event.shiftKey) return "up to";
  const touched = (event.nativeEvent as PointerEvent).pointerType === "touch";
  return event.ctrlKey || event.metaKey || touched ? "too" : "only";
}
