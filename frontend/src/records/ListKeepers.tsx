import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../api";
import type { PicksInfo } from "../api";
import { FormDialog } from "../shared";
import { SharedWith } from "../templates/SharedWith";
import { tr } from "../i18n";

/** Who changes a saved list beside its owner. */
export function ListKeepers({ list, onClose }: { list: PicksInfo; onClose: () => void }) {
  const client = useQueryClient();
  const [entries, setEntries] = useState(list.shared_with);
  const save = useMutation({
    mutationFn: () =>
      answer(
        api.PATCH("/api/v1/picks/{name}", {
          params: { path: { name: list.name } },
          body: { shared_with: entries },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["picks"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={tr("Who keeps the list “{{list}}”", { list: list.name })}
      act={tr("Save")}
      ready
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <p className="m-0">
        {tr("Everybody may narrow templates to this list. These may replace and remove it as well.")}
      </p>
      <SharedWith
        legend={tr("Beside {{owner}}", { owner: list.owner })}
        entries={entries}
        onChange={setEntries}
      />
    </FormDialog>
  );
}
