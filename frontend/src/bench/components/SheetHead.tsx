import { useSortable } from "@dnd-kit/sortable";
import { useEffect, useRef, useState } from "react";
import type { RefObject } from "react";
import type { SheetColumn } from "../../api";
import { Icon } from "../../shared";
import type { Column } from "../../document/types";
import type { SheetProps } from "./Sheet";
import { tr } from "../../i18n";

export function sourceLine(info: SheetColumn | undefined): string {
  return info ? [info.trail, info.shown].filter(Boolean).join(" · ") : "";
}

export interface HeadProps extends SheetProps {
  column: Column;
  position: number;
  /** Columns of the file that the heading stands over. */
  span: number;
  /** What each of them is called, where a value stands across. */
  parts: string[];
  width: number;
  onWidth: (width: number, done: boolean) => void;
}

/** What the columns are called that one column became, where these are values and no plain numbers. */
export function partsOf(column: Column, shown: (SheetColumn | undefined)[]): string[] {
  const named = shown.map((s) => s?.heading ?? "");
  if (shown.length < 2 || named.every((h, n) => h === `${column.heading} ${n + 1}`)) return [];
  return named.map((h) => (h === column.heading ? "all" : h.replace(`, ${column.heading}`, "")));
}

export function Head(props: Omit<HeadProps, "info"> & { info: SheetColumn | undefined }) {
  const { column, columns, position, info, selected, renaming, onRename, editable, dispatch, announce } =
    props;
  const sortable = useSortable({ id: column.id, disabled: !editable });
  const pick = useRef<HTMLButtonElement>(null);
  const isSelected = selected.includes(column.id);

  const onKey = (event: React.KeyboardEvent) => {
    const step = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
    if (event.key === "F2" && editable) onRename(column.id);
    else if ((event.key === "Delete" || event.key === "Backspace") && editable) {
      const gone = isSelected ? selected : [column.id];
      dispatch({ type: "removeColumns", ids: gone });
      announce(tr("{{column}} removed", { column: column.heading }));
      focusHead(columns.filter((c) => !gone.includes(c.id))[Math.max(0, position - 1)]?.id);
    } else if (step && event.altKey && editable) {
      const together = isSelected && selected.length > 1;
      if (together) dispatch({ type: "moveColumns", ids: selected, by: step });
      else dispatch({ type: "moveColumn", id: column.id, to: position + step });
      const place = Math.max(1, Math.min(position + step + 1, columns.length));
      announce(
        together
          ? tr("{{selected}} columns moved", { selected: selected.length })
          : tr("{{column}} is now column {{place}} of {{columns}}", {
              column: column.heading,
              place,
              columns: columns.length,
            }),
      );
      focusHead(column.id);
    } else if (event.key.toLowerCase() === "d" && (event.ctrlKey || event.metaKey) && editable) {
      dispatch({ type: "copyColumns", ids: isSelected ? selected : [column.id] });
      announce(tr("{{column}} copied", { column: column.heading }));
    } else if (step) {
      const other = columns[position + step];
      if (other) {
        dispatch({
          type: "select",
          ids: event.shiftKey ? [...new Set([...selected, other.id])] : [other.id],
        });
        focusHead(other.id);
      }
    } else return;
    event.preventDefault();
  };

  const select = (event: React.MouseEvent) => {
    if (event.ctrlKey || event.metaKey) {
      const others = selected.filter((id) => id !== column.id);
      dispatch({ type: "select", ids: isSelected ? others : [...selected, column.id] });
    } else dispatch({ type: "select", ids: [column.id] });
  };

  const state = [
    isSelected && "selected",
    sortable.isDragging && "dragging",
    info && !info.sound && "unsound",
    props.dropBefore === column.id && "drop-before",
  ]
    .filter(Boolean)
    .join(" ");

  return (
    <th ref={sortable.setNodeRef} scope="col" colSpan={props.span} className={state}>
      <div className="head-cell">
        {editable ? (
          <button
            type="button"
            className="grip"
            ref={sortable.setActivatorNodeRef}
            {...sortable.attributes}
            {...sortable.listeners}
            aria-label={tr("Move {{column}}", { column: column.heading })}
          >
            <Icon name="grip" />
          </button>
        ) : (
          <span />
        )}
        {renaming === column.id ? (
          <HeadingInput
            column={column}
            onDone={(heading) => {
              if (heading !== null && heading !== column.heading)
                dispatch({ type: "setHeading", id: column.id, heading });
              onRename(null);
              focusHead(column.id);
            }}
          />
        ) : (
          <button
            type="button"
            ref={pick}
            id={headId(column.id)}
            className="head-pick lab one-line"
            aria-pressed={isSelected}
            title={editable ? tr("Double-click or F2 to rename") : undefined}
            onClick={select}
            onDoubleClick={() => editable && onRename(column.id)}
            onKeyDown={onKey}
          >
            {column.heading || tr("(no heading)")}
            {props.span > 1 && props.parts.length === 0 && ` 1 – ${props.span}`}
          </button>
        )}
        {props.parts.length > 0 ? (
          <div className="src parts" title={sourceLine(info)}>
            {props.parts.map((part, n) => (
              <span key={n} className="one-line">
                {part}
              </span>
            ))}
          </div>
        ) : (
          <div className="src one-line" title={sourceLine(info)}>
            {sourceLine(info) || "\u00a0"}
          </div>
        )}
      </div>
      {editable && props.span === 1 && (
        <Edge heading={column.heading} width={props.width} onWidth={props.onWidth} />
      )}
    </th>
  );
}

/** The right edge of a heading: drag it, or use the arrows on it, to make the column wider or narrower. */
function Edge({
  heading,
  width,
  onWidth,
}: {
  heading: string;
  width: number;
  onWidth: (width: number, done: boolean) => void;
}) {
  const from = useRef<{ x: number; width: number } | null>(null);
  const at = (x: number) => Math.max(40, (from.current?.width ?? width) + x - (from.current?.x ?? x));
  return (
    <span
      className="edge"
      role="slider"
      tabIndex={-1}
      aria-label={tr("Width of {{heading}}", { heading })}
      aria-orientation="horizontal"
      aria-valuenow={Math.round(width)}
      aria-valuemin={40}
      aria-valuemax={912}
      onPointerDown={(e) => {
        from.current = { x: e.clientX, width };
        e.currentTarget.setPointerCapture(e.pointerId);
        e.preventDefault();
      }}
      onPointerMove={(e) => from.current && onWidth(at(e.clientX), false)}
      onPointerUp={(e) => {
        if (from.current && e.clientX !== from.current.x) onWidth(at(e.clientX), true);
        from.current = null;
      }}
      onKeyDown={(e) => {
        const step = e.key === "ArrowRight" ? 8 : e.key === "ArrowLeft" ? -8 : 0;
        if (step) onWidth(width + step, true);
      }}
    />
  );
}

function HeadingInput({ column, onDone }: { column: Column; onDone: (heading: string | null) => void }) {
  const [text, setText] = useState(column.heading);
  const input: RefObject<HTMLInputElement | null> = useRef(null);
  useEffect(() => input.current?.select(), []);
  return (
    <input
      ref={input}
      autoFocus
      aria-label={tr("Heading of {{column}}", { column: column.heading })}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => onDone(text)}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") onDone(text);
        if (e.key === "Escape") onDone(null);
      }}
    />
  );
}

export function headId(column: string): string {
  return `head-${column}`;
}

/** Focus a column's heading once it stands where it belongs. */
export function focusHead(column: string | undefined): void {
  if (column) requestAnimationFrame(() => document.getElementById(headId(column))?.focus());
}
