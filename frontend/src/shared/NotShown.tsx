import { Button } from "react-bootstrap";
import { Icon } from "./Icon";
import { NotLoaded } from "./NotLoaded";
import { tr } from "../i18n";

interface Props {
  error: unknown;
  resetErrorBoundary: () => void;
}

/** Stands where something cannot be shown: why, and what can be done. */
export function NotShown({ error, resetErrorBoundary }: Props) {
  return (
    <main className="body">
      <div className="nothing slab" role="alert">
        <p>
          <Icon name="exclamation" /> <b>{tr("This page could not be shown.")}</b>{" "}
          {error instanceof NotLoaded
            ? tr(
                "A part of it could not be loaded: the server cannot be reached just now, or Bouquet was renewed in the meantime.",
              )
            : tr("That is a fault of Bouquet’s. What was kept is still there.")}
        </p>
        {!(error instanceof NotLoaded) && <p className="mono soft">{String(error)}</p>}
        <Button onClick={() => window.location.reload()}>{tr("Load the page again")}</Button>{" "}
        <Button variant="quiet" onClick={resetErrorBoundary}>
          {tr("Try again")}
        </Button>
      </div>
    </main>
  );
}
