import { useDraggable } from "@dnd-kit/core";
import { useMemo, useState } from "react";
import type { RefObject } from "react";
import type { FieldGroup, FieldInfo } from "../../api";
import { Icon, KIND_ICONS } from "../../shared";
import { findFields } from "../search";

/** Share of filled rows below which a field counts as poorly filled. */
const LOW = 0.5;

interface Props {
  groups: FieldGroup[];
  used: Set<string>;
  loading: boolean;
  editable: boolean;
  searchRef: RefObject<HTMLInputElement | null>;
  onAdd: (field: FieldInfo, group: FieldGroup) => void;
}

/** All fields that can stand in the sheet, everyday ones first. Enter or a double click adds, dragging places. */
export function FieldShelf({ groups, used, loading, editable, searchRef, onAdd }: Props) {
  const [text, setText] = useState("");
  const [all, setAll] = useState(false);
  const found = useMemo(() => findFields(groups, text, { everyday: !all }), [groups, text, all]);
  const total = groups.reduce((n, g) => n + g.fields.length, 0);
  const first = found[0]?.fields[0];

  const move = (event: React.KeyboardEvent, way: 1 | -1) => {
    const stops = [...event.currentTarget.querySelectorAll<HTMLElement>("input, .shelf-field")];
    const here = stops.indexOf(document.activeElement as HTMLElement);
    stops[Math.max(0, Math.min(here + way, stops.length - 1))]?.focus();
    event.preventDefault();
  };

  return (
    <div
      onKeyDown={(event) => {
        if (event.key === "ArrowDown") move(event, 1);
        if (event.key === "ArrowUp") move(event, -1);
      }}
    >
      <div className="search">
        <Icon name="search" />
        <input
          ref={searchRef}
          aria-label="Search fields"
          placeholder="Name, meaning or synonym"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter" && first && editable) {
              onAdd(first, found[0]!);
              setText("");
            }
            if (e.key === "Escape") setText("");
          }}
        />
        <kbd className="tag">/</kbd>
      </div>
      {text === "" && (
        <div className="px-3 pb-1 small">
          {all ? (
            <button type="button" className="btn-link-plain" onClick={() => setAll(false)}>
              Everyday only
            </button>
          ) : (
            <>
              <b>Everyday</b> ·{" "}
              <button type="button" className="btn-link-plain" onClick={() => setAll(true)}>
                all {total}
              </button>
            </>
          )}
        </div>
      )}
      {found.map((group) => (
        <section key={group.path} aria-label={group.label}>
          <div className="group">
            {group.label} <span>{group.note}</span>
          </div>
          {group.fields.map((field) => (
            <Field
              key={field.path}
              field={field}
              used={used.has(field.path)}
              editable={editable}
              onAdd={() => onAdd(field, group)}
            />
          ))}
        </section>
      ))}
      {loading && <div className="nothing">Reading the catalogue…</div>}
      {!loading && found.length === 0 && <div className="nothing">No field is called or means that.</div>}
    </div>
  );
}

function Field({
  field,
  used,
  editable,
  onAdd,
}: {
  field: FieldInfo;
  used: boolean;
  editable: boolean;
  onAdd: () => void;
}) {
  const drag = useDraggable({ id: `field:${field.path}`, data: { field }, disabled: !editable });
  const percent = field.fill === null ? null : percentOf(field.fill);
  const example = field.personal ? "•••" : (field.example ?? "no value");
  return (
    <button
      type="button"
      ref={drag.setNodeRef}
      className="shelf-field"
      title={[field.meaning, `technical name: ${field.column}`].filter(Boolean).join("\n")}
      onDoubleClick={() => editable && onAdd()}
      {...drag.attributes}
      {...drag.listeners}
      role={undefined}
      aria-roledescription={undefined}
      onKeyDown={(event) => {
        if (event.key === "Enter" && editable) {
          event.preventDefault();
          onAdd();
        }
      }}
    >
      <Icon name={KIND_ICONS[field.kind] ?? "fileText"} />
      <span className="d-block overflow-hidden">
        <span className={`nm ${field.retired ? "retired" : ""}`}>{field.label}</span>
        {used && <span className="in-sheet">in sheet</span>}
        {field.personal && (
          <span className="ms-1 text-danger small">
            <Icon name="shield" label="personal data" />
          </span>
        )}
        <span className="eg one-line d-block">
          {field.retired
            ? `retired${field.substitute ? `: take ${field.substitute}` : ""}`
            : [example, field.example && !field.personal ? field.unit : ""].filter(Boolean).join(" ")}
        </span>
      </span>
      {percent !== null && (
        <span title={`${field.exact ? "" : "about "}${percent} % of the records have it`}>
          <span className={`fill-bar d-block ${field.fill! < LOW ? "low" : ""}`}>
            <i style={{ width: `${percent}%` }} />
          </span>
          <span className="pc d-block">{percent}%</span>
        </span>
      )}
    </button>
  );
}

/** Never 100 while a record is blank, and never 0 while one is filled. */
function percentOf(fill: number): number {
  return fill === 0 || fill === 1 ? fill * 100 : Math.min(99, Math.max(1, Math.round(fill * 100)));
}
