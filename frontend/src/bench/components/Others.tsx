import { Button } from "react-bootstrap";
import { Icon } from "../../shared";
import type { Action } from "../reducer";

type Adding = Extract<Action, { type: "addValue" | "addConstant" }>;

/** Columns that come from no field: a formula, the same text in every row, how many a group has. */
export function Others({ grouped, onAdd }: { grouped: boolean; onAdd: (action: Adding) => void }) {
  return (
    <div className="shelf-more">
      <Button
        variant="quiet"
        size="sm"
        onClick={() => onAdd({ type: "addValue", value: { formula: '""' }, heading: "Formula" })}
      >
        <Icon name="sigma" /> a formula
      </Button>
      <Button variant="quiet" size="sm" onClick={() => onAdd({ type: "addConstant" })}>
        <Icon name="plus" /> the same text in every row
      </Button>
      {grouped && (
        <Button
          variant="quiet"
          size="sm"
          onClick={() =>
            onAdd({ type: "addValue", value: { fold: { path: "", how: "count" } }, heading: "How many" })
          }
        >
          <Icon name="layers" /> how many there are
        </Button>
      )}
    </div>
  );
}
