import { useState } from "react";
import type { AskedInfo, TemplateDocument } from "../api";
import { FormDialog } from "../shared";
import { AskedText } from "./AskedText";
import { tr } from "../i18n";

interface Props {
  document: TemplateDocument;
  onTake: (document: TemplateDocument) => void;
  onClose: () => void;
}

/** What else is wanted of a template, in a person's own words. */
export function AskedDialog({ document, onTake, onClose }: Props) {
  const [text, setText] = useState("");
  const [found, setFound] = useState<AskedInfo>();
  return (
    <FormDialog
      title={tr("What else is wanted?")}
      act={tr("Put it in")}
      ready={(found?.parts.length ?? 0) > 0}
      busy={false}
      error={null}
      onAct={() => found?.document && onTake(found.document)}
      onClose={onClose}
    >
      <AskedText
        text={text}
        onText={setText}
        onFound={setFound}
        document={document}
        label={tr("In your own words")}
        placeholder={tr("only those in Quay, with girth, newest first")}
      />
    </FormDialog>
  );
}
