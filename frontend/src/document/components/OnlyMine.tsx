import { useMine } from "../../shell";
import { replaceNode, rootOf } from "../filter";
import type { Condition, Document } from "../types";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  /** The field that says whose a record is; nothing stands here where the catalogue knows none. */
  path: string | null | undefined;
  onDocument: (document: Document) => void;
}

/** Between everybody’s records and one’s own, by one press. */
export function OnlyMine({ document, path, onDocument }: Props) {
  const mine = useMine();
  if (!path) return null;
  const node = mineOf(path, mine);
  const at = rootOf(document).all.findIndex((n) => JSON.stringify(n) === JSON.stringify(node));
  const toggle = () =>
    onDocument(
      at < 0
        ? { ...document, filter: { all: [...rootOf(document).all, node] } }
        : replaceNode(document, `filter.all[${at}]`, null),
    );
  return (
    <button
      type="button"
      className={`chip chip-add only-mine me-2 ${at < 0 ? "" : "on"}`}
      aria-pressed={at >= 0}
      title={tr("Mine is what says {{mine}}", { mine: mine.join(tr(" or ")) })}
      onClick={toggle}
    >
      {at < 0 ? tr("only mine") : tr("everybody’s")}
    </button>
  );
}

/** The narrowing to the records that say they are somebody’s. */
export function mineOf(path: string, mine: string[]): Condition {
  return { path, is: "one_of", values: mine };
}
