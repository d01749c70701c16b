import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../api";
import type { RoundInfo } from "../api";
import { FormDialog } from "../shared";
import { SharedWith } from "../templates/SharedWith";
import { tr } from "../i18n";

/** Who looks after a round beside its owner. */
export function LookAfter({ round, onClose }: { round: RoundInfo; onClose: () => void }) {
  const client = useQueryClient();
  const [entries, setEntries] = useState(round.shared_with);
  const save = useMutation({
    mutationFn: () =>
      answer(
        api.PATCH("/api/v1/rounds/{round_id}", {
          params: { path: { round_id: round.id } },
          body: { shared_with: entries },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["rounds"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={tr("Who looks after this round")}
      act={tr("Save")}
      ready
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <p className="m-0">
        {tr(
          "They may run it, pause it and skip its next moment, and are told when it fails. It still runs for {{owner}}, with their rights. Whoever cannot use “{{template}}”, or sees a part of the records only, is left out.",
          { owner: round.owner, template: round.template },
        )}
      </p>
      <SharedWith
        legend={tr("Beside {{owner}}", { owner: round.owner })}
        entries={entries}
        onChange={setEntries}
      />
    </FormDialog>
  );
}
