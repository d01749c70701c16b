import type { ReactNode } from "react";
import { Button } from "react-bootstrap";
import { Trouble } from "../shared";
import { tr } from "../i18n";

interface Props {
  note: string;
  /** None where there is nothing to press. */
  act: string | null;
  busy: boolean;
  error: unknown;
  onAct: () => void;
  children: ReactNode;
}

/** The one form there is outside the sign-in. */
export function Card({ note, act, busy, error, onAct, children }: Props) {
  return (
    <main className="sign-in">
      <form
        className="sign-in-card"
        onSubmit={(event) => {
          event.preventDefault();
          onAct();
        }}
      >
        <h1>
          <img src="/bouquet.svg" alt="" width={34} height={34} /> {tr("Bouquet")}
        </h1>
        <p className="soft">{note}</p>
        {children}
        {act && (
          <Button type="submit" disabled={busy}>
            {act}
          </Button>
        )}
        <div className="mt-3">
          <Trouble error={error} />
        </div>
      </form>
    </main>
  );
}
