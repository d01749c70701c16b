import { useDroppable } from "@dnd-kit/core";
import { SortableContext, horizontalListSortingStrategy } from "@dnd-kit/sortable";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Mark, SheetColumn } from "../../api";
import { Icon } from "../../shared";
import type { Action } from "../../document/reducer";
import type { Column } from "../../document/types";
import { Head, partsOf, sourceLine } from "./SheetHead";
import { tr } from "../../i18n";

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

export interface SheetProps {
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
export function Sheet(props: SheetProps) {
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
  const marked = useMarked(props.marks);
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
              <span className="visually-hidden">{tr("Row")}</span>
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
                <RowNumber
                  row={item.index}
                  marks={marked.get(`${item.index} row`)}
                  onTrace={props.onTrace && (() => props.onTrace?.(item.index))}
                />
                {places.map(({ column, at: k }) => (
                  <Cell
                    key={`${column.id} ${k}`}
                    text={k === undefined || !info[k]?.sound ? undefined : (row[k] ?? null)}
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

/** What checks object to, by row and column, or by row alone. */
function useMarked(marks: Mark[] | undefined) {
  return useMemo(() => {
    const found = new Map<string, Mark[]>();
    for (const mark of marks ?? []) {
      const key = `${mark.row} ${mark.column ?? "row"}`;
      found.set(key, [...(found.get(key) ?? []), mark]);
    }
    return found;
  }, [marks]);
}

interface RowNumberProps {
  row: number;
  marks: Mark[] | undefined;
  onTrace: (() => void) | undefined;
}

/** The number of a row, which leads to why it is in. */
function RowNumber({ row, marks, onTrace }: RowNumberProps) {
  return (
    <td className={`rn ${marks ? "objected" : ""}`} title={marks?.map((m) => m.words).join("; ")}>
      {onTrace ? (
        <button type="button" tabIndex={-1} title={tr("Why is this row in?")} onClick={onTrace}>
          {row + 1}
        </button>
      ) : (
        row + 1
      )}
    </td>
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
          aria-label={tr("How this cell should look")}
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
        {tr("empty")}
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
              ? tr("Double-click and type how it should look")
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

export const NEW_COLUMN = "new-column";

function NewColumn() {
  const drop = useDroppable({ id: NEW_COLUMN });
  return (
    <th ref={drop.setNodeRef} className={`new-column ${drop.isOver ? "over" : ""}`}>
      <div className="fw-bold">
        <Icon name="plus" /> {tr("drop a field")}
      </div>
      <div className="small">{tr("or press Enter in the shelf")}</div>
    </th>
  );
}
