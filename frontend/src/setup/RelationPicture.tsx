import { Button } from "react-bootstrap";
import type { CatalogueTable, CuratedType } from "../api";
import { Icon, capital } from "../shared";
import { tr } from "../i18n";

interface Props {
  type: CuratedType;
  tables: CatalogueTable[];
  onOpen: (table: string) => void;
  onRemove: (relation: string) => void;
}

/** Pixels: a box and the space to the next, a column of boxes, and the gap that the lines cross. */
const ROW = 34;
const BOX = 220;
const GAP = 90;

/** How record types hang together around one: what has many of it at the left, what it leads to at the right. */
export function RelationPicture({ type, tables, onOpen, onRemove }: Props) {
  const many = type.relations.filter((r) => r.many);
  const one = type.relations.filter((r) => !r.many);
  if (type.relations.length === 0) return <p className="soft m-0">{tr("It leads to no other records.")}</p>;
  const rows = Math.max(many.length, one.length, 1);
  const middle = (rows * ROW) / 2;
  const side = (relations: typeof many, left: number, name: string) => (
    <ul
      aria-label={name}
      className="relation-side"
      style={{ left, top: middle - (relations.length * ROW) / 2 }}
    >
      {relations.map((r) => {
        const target = tables.find((t) => t.name === r.target);
        const columns = Object.entries(r.columns).map(([own, other]) => `${own} = ${other}`);
        return (
          <li key={r.name} style={{ height: ROW, width: BOX }}>
            <Button
              variant="quiet"
              size="sm"
              className={`relation-box${r.guess ? " guessed" : ""}`}
              title={`${columns.join(tr(" and "))}${r.guess ? tr("; guessed: {{guess}}", { guess: r.guess }) : ""}`}
              disabled={!target}
              onClick={() => target && onOpen(target.table)}
            >
              {r.label}
              {r.many && <em> {tr("many")}</em>}
              {r.guess && <em> {tr("guessed")}</em>}
            </Button>
            {r.made && (
              <button
                type="button"
                className="btn btn-link p-0 ms-1"
                aria-label={tr("Remove the relation {{label}}", { label: r.label })}
                onClick={() => onRemove(r.name)}
              >
                <Icon name="x" />
              </button>
            )}
          </li>
        );
      })}
    </ul>
  );
  const own = many.length > 0 ? BOX + GAP : 0;
  const right = own + BOX + GAP;
  const lines = (count: number, from: number, to: number) =>
    Array.from({ length: count }, (_, n) => {
      const y = middle - (count * ROW) / 2 + ROW * n + ROW / 2;
      const half = (from + to) / 2;
      return (
        <path key={`${from} ${n}`} d={`M${from} ${y} C${half} ${y} ${half} ${middle} ${to} ${middle}`} />
      );
    });
  return (
    <div className="relation-picture" style={{ height: rows * ROW, minWidth: right + BOX }}>
      <svg width={right} height={rows * ROW} aria-hidden="true">
        {lines(many.length, BOX, own)}
        {lines(one.length, right, own + BOX)}
      </svg>
      {many.length > 0 && side(many, 0, tr("Of these there are many to one"))}
      <strong className="relation-own" style={{ left: own, top: middle - ROW / 2 + 2, width: BOX }}>
        {capital(type.label)}
      </strong>
      {one.length > 0 && side(one, right, tr("One of these belongs to it"))}
    </div>
  );
}
