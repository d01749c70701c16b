import { Button } from "react-bootstrap";
import { useMay } from "../shell";
import { Icon, count } from "../shared";
import type { RecordsDialog } from "./RecordsDialogs";

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
    <div className="pick-bar" role="region" aria-label="Picked records">
      <b>{count(picked)} picked</b>
      {total !== undefined && <span className="of">of {count(total)} that match</span>}
      {mayDesign && total !== undefined && total > picked && (
        <button type="button" className="btn-link-plain" onClick={() => onDialog("pick-all")}>
          keep all {count(total)} as a list
        </button>
      )}
      <span className="fill" />
      {mayDesign && (
        <Button variant="light" onClick={() => onDialog("picks")}>
          Keep as picks…
        </Button>
      )}
      {mayRun && (
        <Button variant="light" onClick={() => onDialog("run")}>
          Run a template on these
        </Button>
      )}
      <Button variant="light" onClick={() => onDialog("try")}>
        Try on one
      </Button>
      <button type="button" className="btn" aria-label="Clear selection" onClick={onClear}>
        <Icon name="x" />
      </button>
    </div>
  );
}
