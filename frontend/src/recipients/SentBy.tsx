import { Form } from "react-bootstrap";
import type { NewRecipient } from "../api";
import { SharedWith } from "../templates/SharedWith";
import { tr } from "../i18n";

interface Props {
  draft: Pick<NewRecipient, "for_all" | "shared_with">;
  onChange: (part: Partial<NewRecipient>) => void;
}

/** For whom a recipient is there: everybody who designs, or some. */
export function SentBy({ draft, onChange }: Props) {
  const some = draft.for_all === false;
  return (
    <>
      <Form.Check
        id="recipient-for-all"
        label={tr("Everybody who designs templates may send to them")}
        checked={!some}
        onChange={(e) => onChange({ for_all: e.target.checked })}
      />
      {some && (
        <SharedWith
          legend={tr("Only I, administrators and these")}
          entries={draft.shared_with ?? []}
          onChange={(shared_with) => onChange({ shared_with })}
        />
      )}
    </>
  );
}
