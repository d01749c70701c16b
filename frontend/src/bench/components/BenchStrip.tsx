import { Button } from "react-bootstrap";
import { Link } from "react-router";
import type { TemplateInfo } from "../../api";
import { Icon } from "../../shared";
import { useMay } from "../../shell";
import type { Action } from "../../document/reducer";
import type { Document } from "../../document/types";
import { keptWords } from "./Keeping";
import type { Keeping } from "../hooks/useDraft";
import { Title } from "./Title";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  template: TemplateInfo;
  keeping: Keeping;
  mayUndo: boolean;
  mayRedo: boolean;
  /** Whether it cannot be run just now. */
  busy: boolean;
  dispatch: (action: Action) => void;
  onDialog: (dialog: "save" | "keys" | "about" | "ask") => void;
  onTrace: () => void;
  onRun: () => void;
}

/** The template's name, how it is kept, and what can be done with it as a whole. */
export function BenchStrip(props: Props) {
  const { document, template, keeping, mayUndo, mayRedo, busy, dispatch } = props;
  const { onDialog, onTrace, onRun } = props;
  const mayDesign = useMay("design");
  const mayRun = useMay("run");
  return (
    <div className="strip">
      <Link to="/templates" aria-label={tr("Back to the templates")}>
        <Icon name="chevronLeft" />
      </Link>
      <Title
        name={document.name}
        editable={mayDesign}
        onChange={(name) => dispatch({ type: "rename", name })}
      />
      {mayDesign && (
        <Button variant="quiet" size="sm" onClick={() => onDialog("about")}>
          {tr("About…")}
        </Button>
      )}
      {mayDesign && (
        <Button variant="quiet" size="sm" onClick={() => onDialog("ask")}>
          {tr("Say what else…")}
        </Button>
      )}
      <span className="tag" role="status">
        {template.version ? tr("version {{version}}", { version: template.version }) : tr("never saved")}
        {keptWords(keeping, template)}
      </span>
      <span className="fill" />
      <Button variant="quiet" aria-label={tr("Keys")} onClick={() => onDialog("keys")}>
        <Icon name="question" />
      </Button>
      <Button variant="quiet" onClick={onTrace}>
        <Icon name="search" /> {tr("Trace a record")}
      </Button>
      {mayDesign && (
        <>
          <Button
            variant="quiet"
            aria-label={tr("Undo")}
            disabled={!mayUndo}
            onClick={() => dispatch({ type: "undo" })}
          >
            <Icon name="arrowCounterclockwise" />
          </Button>
          <Button
            variant="quiet"
            aria-label={tr("Redo")}
            disabled={!mayRedo}
            onClick={() => dispatch({ type: "redo" })}
          >
            <Icon name="arrowClockwise" />
          </Button>
          <Button variant="quiet" onClick={() => onDialog("save")}>
            {tr("Save")}
          </Button>
        </>
      )}
      {mayRun && (
        <Button disabled={busy} onClick={onRun}>
          <Icon name="play" /> {tr("Run")}
        </Button>
      )}
    </div>
  );
}
