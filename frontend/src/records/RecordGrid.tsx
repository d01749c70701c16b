import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import { Dropdown } from "react-bootstrap";
import { Link } from "react-router";
import { recordsAt } from "../api";
import type { RecordTypeFields } from "../api";
import { FieldPicker } from "../document/components/FieldPicker";
import type { Action } from "../document/reducer";
import type { Column, Document } from "../document/types";
import { Icon } from "../shared";
import { tr } from "../i18n";

const ROW = 30;

type OrderLevel = NonNullable<Document["order"]>[number];

/** Records row by row, to be picked, sorted and opened; more come as one scrolls. */
export function RecordGrid({
  type,
  document,
  rows,
  keys,
  kinds,
  picked,
  onToggle,
  onAll,
  dispatch,
  groups,
  more,
  onMore,
}: {
  type: RecordTypeFields;
  document: Document;
  rows: (string | null)[][];
  keys: string[][];
  kinds: string[];
  picked: Map<string, unknown>;
  onToggle: (row: number) => void;
  onAll: () => void;
  dispatch: (action: Action) => void;
  groups: RecordTypeFields["groups"];
  more: boolean;
  onMore: () => void;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    paddingStart: 34,
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (more && last > rows.length - 40) onMore();
  }, [more, last, rows.length, onMore]);
  const columns = document.columns ?? [];
  const order = document.order?.[0];
  const above = (items[0]?.start ?? 34) - 34;
  const below = Math.max(0, virtual.getTotalSize() - (items.at(-1)?.end ?? 34));
  const linked = Math.max(
    0,
    columns.findIndex((c) => "field" in c.value && c.value.field === type.record_type.title),
  );
  return (
    <div className="grid-wrap" ref={scroller} tabIndex={0} role="region" aria-label={type.record_type.plural}>
      <table className="grid">
        <GridHead
          columns={columns}
          kinds={kinds}
          order={order}
          picked={picked.size}
          loaded={rows.length}
          groups={groups}
          onAll={onAll}
          dispatch={dispatch}
        />
        <tbody>
          {above > 0 && (
            <tr aria-hidden style={{ height: above }}>
              <td />
            </tr>
          )}
          {items.map((item) => {
            const row = rows[item.index]!;
            const key = keys[item.index] ?? [];
            const on = picked.has(JSON.stringify(key));
            return (
              <tr key={item.key} className={on ? "on" : ""}>
                <td className="tick">
                  <input
                    type="checkbox"
                    className="form-check-input"
                    aria-label={tr("Pick {{row}}", { row: row[linked] ?? key.join(", ") })}
                    checked={on}
                    onChange={() => onToggle(item.index)}
                  />
                </td>
                {columns.map((c, n) => (
                  <td
                    key={c.id}
                    className={NUMERIC.includes(kinds[n] ?? "") ? "num" : ""}
                    title={(row[n]?.length ?? 0) > 40 ? row[n]! : undefined}
                  >
                    {n === linked ? (
                      <Link className="mono" to={recordsAt(type.record_type.name, key)}>
                        {row[n] ?? key.join(", ")}
                      </Link>
                    ) : (
                      (row[n] ?? <span className="soft">{tr("empty")}</span>)
                    )}
                  </td>
                ))}
                <td />
              </tr>
            );
          })}
          {below > 0 && (
            <tr aria-hidden style={{ height: below }}>
              <td />
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}

const NUMERIC = ["integer", "decimal"];

interface HeadProps {
  columns: Column[];
  kinds: string[];
  order: OrderLevel | undefined;
  picked: number;
  loaded: number;
  groups: RecordTypeFields["groups"];
  onAll: () => void;
  dispatch: (action: Action) => void;
}

/** The headings: each puts the rows in order, and can be hidden. */
function GridHead({ columns, kinds, order, picked, loaded, groups, onAll, dispatch }: HeadProps) {
  const sortBy = (id: string) => {
    const down = order?.column === id && order.direction !== "descending";
    dispatch({
      type: "setOrder",
      order: [{ column: id, ...(down ? { direction: "descending" as const } : {}) }],
    });
  };
  return (
    <thead>
      <tr>
        <th className="tick">
          <input
            type="checkbox"
            className="form-check-input"
            aria-label={tr("Pick all that are loaded")}
            checked={picked > 0}
            ref={(box) => {
              if (box) box.indeterminate = picked > 0 && picked < loaded;
            }}
            onChange={onAll}
          />
        </th>
        {columns.map((c, n) => (
          <th
            key={c.id}
            className={NUMERIC.includes(kinds[n] ?? "") ? "num" : ""}
            aria-sort={
              order?.column === c.id
                ? order.direction === "descending"
                  ? "descending"
                  : "ascending"
                : undefined
            }
          >
            <button type="button" className="head-sort" onClick={() => sortBy(c.id)}>
              {c.heading}
              {order?.column === c.id && (
                <span aria-hidden>{order.direction === "descending" ? " ↓" : " ↑"}</span>
              )}
            </button>
            <button
              type="button"
              className="head-x"
              onClick={() => dispatch({ type: "removeColumns", ids: [c.id] })}
            >
              <Icon name="x" label={tr("Hide {{heading}}", { heading: c.heading })} />
            </button>
          </th>
        ))}
        <AddColumn groups={groups} dispatch={dispatch} />
      </tr>
    </thead>
  );
}

/** One more column, of any field. */
function AddColumn({ groups, dispatch }: Pick<HeadProps, "groups" | "dispatch">) {
  const [adding, setAdding] = useState(false);
  return (
    <th className="add">
      <Dropdown show={adding} onToggle={setAdding} align="end">
        <Dropdown.Toggle variant="link" bsPrefix="btn" aria-label={tr("Another column")}>
          <Icon name="plus" />
        </Dropdown.Toggle>
        <Dropdown.Menu className="p-2" style={{ width: 330 }}>
          {adding && (
            <FieldPicker
              groups={groups}
              onPick={(field, group) => {
                setAdding(false);
                dispatch({
                  type: "addColumn",
                  field: field.path,
                  heading:
                    group.path && /^(name|label|code)$/i.test(field.label)
                      ? group.label.split(" › ").at(-1)!
                      : field.label,
                });
              }}
            />
          )}
        </Dropdown.Menu>
      </Dropdown>
    </th>
  );
}
