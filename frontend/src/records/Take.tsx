import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import type { Run } from "../api";
import type { Document } from "../document/types";
import { Purpose, useStartRun } from "../runs";
import type { StartRun } from "../runs/useStartRun";
import { FormDialog, Icon, Trouble } from "../shared";
import { tr } from "../i18n";

/** What can be taken: its words, the document that holds it, and, where it is not all of it, the keys of its records. */
export interface Takeable {
  words: string;
  note?: string;
  document: Document;
  format: NonNullable<StartRun["format"]>;
  only?: string[][];
}

interface Props {
  label: string;
  offered: Takeable[];
  /** Headings of the columns with personal data. */
  personal: string[];
  onRun: (run: Run) => void;
}

/** Takes what is looked at as a file; of personal data it is asked first what for. */
export function TakeMenu({ label, offered, personal, onRun }: Props) {
  const start = useStartRun();
  const [taking, setTaking] = useState<Takeable | null>(null);
  const [purpose, setPurpose] = useState("");
  const take = ({ document, format, only }: Takeable) =>
    start.mutate(
      { document, use: "draft", format, purpose, ...(only ? { only } : {}) },
      {
        onSuccess: (run) => {
          setTaking(null);
          onRun(run);
        },
      },
    );
  return (
    <>
      <Dropdown align="end">
        <Dropdown.Toggle variant="quiet" disabled={start.isPending}>
          <Icon name="download" /> {label}
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {offered.map((one) => (
            <Dropdown.Item
              key={one.words}
              as="button"
              onClick={() => (personal.length && !purpose.trim() ? setTaking(one) : take(one))}
            >
              {one.words} {one.note && <span className="soft">· {one.note}</span>}
            </Dropdown.Item>
          ))}
        </Dropdown.Menu>
      </Dropdown>
      {!taking && <Trouble error={start.error} />}
      {taking && (
        <FormDialog
          title={label}
          act={tr("Export")}
          ready={purpose.trim() !== ""}
          busy={start.isPending}
          error={start.error}
          onAct={() => take(taking)}
          onClose={() => setTaking(null)}
        >
          <Purpose personal={personal} purpose={purpose} onPurpose={setPurpose} />
        </FormDialog>
      )}
    </>
  );
}
