import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { SharedWith as Entry } from "../api";
import { FormDialog } from "../shared";
import { SharedWith } from "./SharedWith";
import { tr } from "../i18n";

interface Props {
  title: string;
  /** What the people and groups that are ticked may do. */
  explained: string;
  owner: string;
  entries: Entry[];
  onSave: (entries: Entry[]) => Promise<unknown>;
  /** What is read anew afterwards. */
  changes: string;
  onClose: () => void;
}

/** Who does something beside its owner. */
export function SharingDialog({ title, explained, owner, entries, onSave, changes, onClose }: Props) {
  const client = useQueryClient();
  const [ticked, setTicked] = useState(entries);
  const save = useMutation({
    mutationFn: () => onSave(ticked),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: [changes] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={title}
      act={tr("Save")}
      ready
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <p className="m-0">{explained}</p>
      <SharedWith legend={tr("Beside {{owner}}", { owner })} entries={ticked} onChange={setTicked} />
    </FormDialog>
  );
}
