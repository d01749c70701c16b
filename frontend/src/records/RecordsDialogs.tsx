import type { RecordTypeFields, ViewInfo } from "../api";
import type { Document } from "../document/types";
import { PicksDialog, RunOnDialog } from "./dialogs";
import { SaveView } from "./Views";

/** What is asked about the records: keep those ticked, or all, as a list; run a template on them; keep the view. */
export type RecordsDialog = "picks" | "pick-all" | "run" | "try" | "view";

/** A record that is ticked. */
export interface PickedRecord {
  key: string[];
  title: string;
}

interface Props {
  dialog: RecordsDialog | null;
  type: RecordTypeFields;
  view: ViewInfo | undefined;
  /** What is kept as a view, and what is seen of it by a search. */
  document: Document;
  seen: Document;
  /** Whether what is seen is narrower than where it started. */
  narrowed: boolean;
  chosen: PickedRecord[];
  total: number | undefined;
  onClose: () => void;
}

/** The dialogs of the place Records. */
export function RecordsDialogs({
  dialog,
  type,
  view,
  document,
  seen,
  narrowed,
  chosen,
  total,
  onClose,
}: Props) {
  return (
    <>
      {(dialog === "picks" || dialog === "pick-all") && (
        <PicksDialog
          records={type.record_type}
          keys={dialog === "picks" ? chosen.map((c) => c.key) : null}
          document={seen}
          size={dialog === "picks" ? chosen.length : (total ?? 0)}
          onClose={onClose}
        />
      )}
      {dialog === "run" && (
        <RunOnDialog
          records={type.record_type}
          keys={chosen.map((c) => c.key)}
          filter={narrowed ? seen.filter : undefined}
          total={total}
          onClose={onClose}
        />
      )}
      {dialog === "try" && (
        <RunOnDialog
          records={type.record_type}
          keys={[chosen[0]!.key]}
          one={chosen[0]!.title}
          onClose={onClose}
        />
      )}
      {dialog === "view" && (
        <SaveView view={view?.mine ? view : undefined} document={document} onClose={onClose} />
      )}
    </>
  );
}
