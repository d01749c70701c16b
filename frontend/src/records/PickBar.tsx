import { Button } from "react-bootstrap";
import { useMay } from "../shell";
import { Icon, count } from "../shared";
import type { RecordsDialog } from "./RecordsDialogs";
import { tr } from "../i18n";

interface Props {
  /** How many records are ticked, and how many match; undefined while they are counted. */
  picked: number;
  total: number | undefined;
  onDialog: (dialog: RecordsDialog) => void;
  onClear: () => void;
}

/** What can be done with the records that are ticked. */
export function PickBar({ picked, total, onDialog, onClear }: Props) {
  const mayDesign = useMay("design");
  const mayRun = useMay("run");
  return (
    <div className="pick-bar" role="region" aria-label={tr("Picked records")}>
      <b>{tr("{{picked}} picked", { picked: count(picked) })}</b>
      {total !== undefined && (
        <span className="of">{tr("of {{total}} that match", { total: count(total) })}</span>
      )}
      {mayDesign && total !== undefined && total > picked && (
        <button type="button" className="btn-link-plain" onClick={() => onDialog("pick-all")}>
          {tr("keep all {{total}} as a list", { total: count(total) })}
        </button>
      )}
      <span className="fill" />
      {mayDesign && (
        <Button variant="light" onClick={() => onDialog("picks")}>
          {tr("Keep as picks…")}
        </Button>
      )}
      {mayRun && (
        <Button variant="light" onClick={() => onDialog("run")}>
          {tr("Run a template on these")}
        </Button>
      )}
      <Button variant="light" onClick={() => onDialog("try")}>
        {tr("Try on one")}
      </Button>
      <button type="button" className="btn" aria-label={tr("Clear selection")} onClick={onClear}>
        <Icon name="x" />
      </button>
    </div>
  );
}
