import { useDroppable } from "@dnd-kit/core";
import { SortableContext, horizontalListSortingStrategy, useSortable } from "@dnd-kit/sortable";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState } from "react";
import type { RefObject } from "react";
import type { Mark, SheetColumn } from "../../api";
import { Icon } from "../../shared";
import type { Action } from "../reducer";
import type { Column } from "../types";

/** Pixels. */
const ROW_HEIGHT = 26;
const NUMBER_WIDTH = 46;
const NARROWEST = 104;
const WIDEST = 330;

/** Columns and rows from the end at which more are asked for. */
const AHEAD = 40;

/** Pixels of an average character, for widths kept in characters. */
const CHARACTER = 7.6;

const NUMERIC = ["integer", "decimal"];

interface Props {
  columns: Column[];
  info: SheetColumn[];
  rows: (string | null)[][];
  /** What checks object to: cells by their place among `info`, or whole rows. */
  marks?: Mark[];
  more: boolean;
  onMore: () => void;
  selected: string[];
  renaming: string | null;
  onRename: (id: string | null) => void;
  editable: boolean;
  dropBefore: string | null;
  dispatch: (action: Action) => void;
  announce: (text: string) => void;
  /** Ask why the record behind a row is in; not given where rows are no records. */
  onTrace?: (row: number) => void;
  /** A person typed how a cell should look. */
  onExample?: (column: string, row: number, text: string) => void;
}

/** Real rows, as the file will show them; its heads are where columns are renamed, moved, selected and removed. */
export function Sheet(props: Props) {
  const { columns, info, rows, more, onMore, selected, editable, dispatch } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 12,
    paddingStart: 64,
  });
  const items = virtual.getVirtualItems();
  const lastShown = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (more && lastShown > rows.length - AHEAD) onMore();
  }, [more, lastShown, rows.length, onMore]);
  // The look may be a change behind the document: cells are found by the column's id.
  const at = new Map<string, number[]>();
  info.forEach((c, n) => at.set(c.id, [...(at.get(c.id) ?? []), n]));
  // A spread stands in several places, each of them a column of the file.
  const places = columns.flatMap((column) =>
    (at.get(column.id) ?? [undefined]).map((k: number | undefined) => ({ column, at: k })),
  );
  const [dragged, setDragged] = useState<{ id: string; width: number } | null>(null);
  const [typing, setTyping] = useState<{ column: string; row: number } | null>(null);
  const widths = places.map((p) =>
    dragged?.id === p.column.id
      ? dragged.width
      : p.column.width
        ? Math.round(p.column.width * CHARACTER)
        : widthOf(p.column, info[p.at ?? -1], rows, p.at),
  );
  // What belongs to a record above stands on each of its rows; from the second on it is written lightly.
  const repeating = places.flatMap((p) => (p.at !== undefined && info[p.at]?.repeats ? [p.at] : []));
  const isAgain = (row: number) =>
    row > 0 && repeating.length > 0 && repeating.every((k) => rows[row]![k] === rows[row - 1]![k]);
  const marked = useMemo(() => {
    const found = new Map<string, Mark[]>();
    for (const mark of props.marks ?? []) {
      const key = `${mark.row} ${mark.column ?? "row"}`;
      found.set(key, [...(found.get(key) ?? []), mark]);
    }
    return found;
  }, [props.marks]);
  const above = (items[0]?.start ?? 64) - 64;
  const below = Math.max(0, virtual.getTotalSize() - (items.at(-1)?.end ?? 64));

  return (
    <div className="sheet-wrap" ref={scroller} tabIndex={-1}>
      <table
        className="sheet"
        style={{ width: NUMBER_WIDTH + widths.reduce((a, b) => a + b, 0) + (editable ? 150 : 0) }}
      >
        <colgroup>
          <col style={{ width: NUMBER_WIDTH }} />
          {places.map((p, n) => (
            <col key={`${p.column.id} ${p.at}`} style={{ width: widths[n] }} />
          ))}
          {editable && <col style={{ width: 150 }} />}
        </colgroup>
        <thead>
          <tr>
            <th className="rn">
              <span className="visually-hidden">Row</span>
            </th>
            <SortableContext items={columns.map((c) => c.id)} strategy={horizontalListSortingStrategy}>
              {columns.map((column, n) => (
                <Head
                  key={column.id}
                  {...props}
                  column={column}
                  position={n}
                  parts={partsOf(
                    column,
                    (at.get(column.id) ?? []).map((k) => info[k]),
                  )}
                  onWidth={(width, done) => {
                    setDragged(done ? null : { id: column.id, width });
                    if (done)
                      dispatch({
                        type: "setColumn",
                        id: column.id,
                        change: { width: Math.max(4, Math.min(120, Math.round(width / CHARACTER))) },
                      });
                  }}
                  width={widths[places.findIndex((p) => p.column.id === column.id)] ?? NARROWEST}
                  span={at.get(column.id)?.length ?? 1}
                  info={info[at.get(column.id)?.[0] ?? -1]}
                />
              ))}
            </SortableContext>
            {editable && <NewColumn />}
          </tr>
        </thead>
        <tbody>
          {above > 0 && (
            <tr aria-hidden style={{ height: above }}>
              <td className="new" />
            </tr>
          )}
          {items.map((item) => {
            const row = rows[item.index]!;
            const again = isAgain(item.index);
            return (
              <tr key={item.key}>
                <td
                  className={`rn ${marked.has(`${item.index} row`) ? "objected" : ""}`}
                  title={marked
                    .get(`${item.index} row`)
                    ?.map((m) => m.words)
                    .join("; ")}
                >
                  {props.onTrace ? (
                    <button
                      type="button"
                      tabIndex={-1}
                      title="Why is this row in?"
                      onClick={() => props.onTrace?.(item.index)}
                    >
                      {item.index + 1}
                    </button>
                  ) : (
                    item.index + 1
                  )}
                </td>
                {places.map(({ column, at: k }) => (
                  <Cell
                    key={`${column.id} ${k}`}
                    text={k === undefined ? undefined : (row[k] ?? null)}
                    marks={marked.get(`${item.index} ${k}`)}
                    numeric={NUMERIC.includes(info[k ?? -1]?.kind ?? "")}
                    selected={selected.includes(column.id)}
                    again={again && k !== undefined && repeating.includes(k)}
                    typing={typing?.column === column.id && typing.row === item.index}
                    onOpen={
                      editable && props.onExample && k !== undefined && row[k]
                        ? () => setTyping({ column: column.id, row: item.index })
                        : undefined
                    }
                    onTyped={(typed) => {
                      setTyping(null);
                      if (typed !== null && typed !== row[k ?? -1])
                        props.onExample?.(column.id, item.index, typed);
                    }}
                  />
                ))}
                {editable && <td className="new" />}
              </tr>
            );
          })}
          {below > 0 && (
            <tr aria-hidden style={{ height: below }}>
              <td className="new" />
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}

/** `text` is undefined while the column's values are on their way. */
function Cell({
  text,
  marks,
  numeric,
  selected,
  again,
  typing,
  onOpen,
  onTyped,
}: {
  text: string | null | undefined;
  marks: Mark[] | undefined;
  numeric: boolean;
  selected: boolean;
  again: boolean;
  typing: boolean;
  onOpen?: () => void;
  onTyped: (text: string | null) => void;
}) {
  const objected = marks ? `objected ${marks.some((m) => m.severity !== "note") ? "grave" : ""}` : "";
  const said = marks?.map((m) => m.words).join("; ");
  const state = `${numeric ? "num" : ""} ${selected ? "selected" : ""} ${again ? "again" : ""} ${objected}`;
  if (typing && text)
    return (
      <td className={`${state} typing`}>
        <input
          autoFocus
          aria-label="How this cell should look"
          defaultValue={text}
          onFocus={(e) => e.target.select()}
          onBlur={() => onTyped(null)}
          onKeyDown={(e) => {
            e.stopPropagation();
            if (e.key === "Enter") onTyped(e.currentTarget.value);
            if (e.key === "Escape") onTyped(null);
          }}
        />
      </td>
    );
  if (text === undefined) return <td className={`${state} empty`}>…</td>;
  if (text === null || text === "")
    return (
      <td className={`${state} empty`} title={said}>
        empty
      </td>
    );
  return (
    <td
      className={state}
      title={
        said
          ? `${text}: ${said}`
          : text.length > 30
            ? text
            : onOpen
              ? "Double-click and type how it should look"
              : undefined
      }
      onDoubleClick={onOpen}
    >
      {text}
    </td>
  );
}

function widthOf(
  column: Column,
  info: SheetColumn | undefined,
  rows: (string | null)[][],
  at: number | undefined,
) {
  const longest = at === undefined ? 0 : Math.max(0, ...rows.slice(0, 60).map((r) => r[at]?.length ?? 0));
  const needed = Math.max(
    column.heading.length * 8 + 48,
    sourceLine(info).length * 5.6 + 20,
    longest * 7.6 + 24,
  );
  return Math.round(Math.min(WIDEST, Math.max(NARROWEST, needed)));
}

function sourceLine(info: SheetColumn | undefined): string {
  return info ? [info.trail, info.shown].filter(Boolean).join(" · ") : "";
}

interface HeadProps extends Props {
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
function partsOf(column: Column, shown: (SheetColumn | undefined)[]): string[] {
  const named = shown.map((s) => s?.heading ?? "");
  if (shown.length < 2 || named.every((h, n) => h === `${column.heading} ${n + 1}`)) return [];
  return named.map((h) => (h === column.heading ? "all" : h.replace(`, ${column.heading}`, "")));
}

function Head(props: Omit<HeadProps, "info"> & { info: SheetColumn | undefined }) {
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
      announce(`${column.heading} removed`);
      focusHead(columns.filter((c) => !gone.includes(c.id))[Math.max(0, position - 1)]?.id);
    } else if (step && event.altKey && editable) {
      const together = isSelected && selected.length > 1;
      if (together) dispatch({ type: "moveColumns", ids: selected, by: step });
      else dispatch({ type: "moveColumn", id: column.id, to: position + step });
      const place = Math.max(1, Math.min(position + step + 1, columns.length));
      announce(
        together
          ? `${selected.length} columns moved`
          : `${column.heading} is now column ${place} of ${columns.length}`,
      );
      focusHead(column.id);
    } else if (event.key.toLowerCase() === "d" && (event.ctrlKey || event.metaKey) && editable) {
      dispatch({ type: "copyColumns", ids: isSelected ? selected : [column.id] });
      announce(`${column.heading} copied`);
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
            aria-label={`Move ${column.heading}`}
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
            title={editable ? "Double-click or F2 to rename" : undefined}
            onClick={select}
            onDoubleClick={() => editable && onRename(column.id)}
            onKeyDown={onKey}
          >
            {column.heading || "(no heading)"}
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
      aria-label={`Width of ${heading}`}
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
      aria-label={`Heading of ${column.heading}`}
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

export const NEW_COLUMN = "new-column";

function NewColumn() {
  const drop = useDroppable({ id: NEW_COLUMN });
  return (
    <th ref={drop.setNodeRef} className={`new-column ${drop.isOver ? "over" : ""}`}>
      <div className="fw-bold">
        <Icon name="plus" /> drop a field
      </div>
      <div className="small">or press Enter in the shelf</div>
    </th>
  );
}

function headId(column: string): string {
  return `head-${column}`;
}

/** Focus a column's heading once it stands where it belongs. */
function focusHead(column: string | undefined): void {
  if (column) requestAnimationFrame(() => document.getElementById(headId(column))?.focus());
}
