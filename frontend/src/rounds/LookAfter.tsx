import { answer, api } from "../api";
import type { RoundInfo } from "../api";
import { SharingDialog } from "../templates/SharingDialog";
import { tr } from "../i18n";

/** Who looks after a round beside its owner. */
export function LookAfter({ round, onClose }: { round: RoundInfo; onClose: () => void }) {
  return (
    <SharingDialog
      title={tr("Who looks after this round")}
      explained={tr(
        "They may run it, pause it and skip its next moment, and are told when it fails. It still runs for {{owner}}, with their rights. Whoever cannot use “{{template}}”, or sees a part of the records only, is left out.",
        { owner: round.owner, template: round.template },
      )}
      owner={round.owner}
      entries={round.shared_with}
      onSave={(shared_with) =>
        answer(
          api.PATCH("/api/v1/rounds/{round_id}", {
            params: { path: { round_id: round.id } },
            body: { shared_with },
          }),
        )
      }
      changes="rounds"
      onClose={onClose}
    />
  );
}
