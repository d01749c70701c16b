import { Button } from "react-bootstrap";
import { Icon } from "../../shared";
import type { Action } from "../../document/reducer";
import { tr } from "../../i18n";

type Adding = Extract<Action, { type: "addValue" | "addConstant" }>;

/** Columns that come from no field: a formula, the same text in every row, how many a group has. */
export function Others({ grouped, onAdd }: { grouped: boolean; onAdd: (action: Adding) => void }) {
  return (
    <div className="shelf-more">
      <Button
        variant="quiet"
        size="sm"
        onClick={() => onAdd({ type: "addValue", value: { formula: '""' }, heading: tr("Formula") })}
      >
        <Icon name="sigma" /> {tr("a formula")}
      </Button>
      <Button variant="quiet" size="sm" onClick={() => onAdd({ type: "addConstant" })}>
        <Icon name="plus" /> {tr("the same text in every row")}
      </Button>
      {grouped && (
        <Button
          variant="quiet"
          size="sm"
          onClick={() =>
            onAdd({ type: "addValue", value: { fold: { path: "", how: "count" } }, heading: tr("How many") })
          }
        >
          <Icon name="layers" /> {tr("how many there are")}
        </Button>
      )}
    </div>
  );
}
