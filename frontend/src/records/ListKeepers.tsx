import { answer, api } from "../api";
import type { PicksInfo } from "../api";
import { SharingDialog } from "../templates/SharingDialog";
import { tr } from "../i18n";

/** Who changes a saved list beside its owner. */
export function ListKeepers({ list, onClose }: { list: PicksInfo; onClose: () => void }) {
  return (
    <SharingDialog
      title={tr("Who keeps the list “{{list}}”", { list: list.name })}
      explained={tr("Everybody may narrow templates to this list. These may replace and remove it as well.")}
      owner={list.owner}
      entries={list.shared_with}
      onSave={(shared_with) =>
        answer(
          api.PATCH("/api/v1/picks/{name}", { params: { path: { name: list.name } }, body: { shared_with } }),
        )
      }
      changes="picks"
      onClose={onClose}
    />
  );
}
