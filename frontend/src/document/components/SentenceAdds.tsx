import type { FieldGroup, FieldInfo, RecordTypeFields, SentencePart, SheetColumn } from "../../api";
import { outline, rootOf } from "../filter";
import type { Action } from "../reducer";
import type { Document } from "../types";
import { Arrange } from "./Arrange";
import { Chip } from "./Chip";
import { FieldPicker } from "./FieldPicker";
import { NarrowPicker } from "./NarrowPicker";
import { tr } from "../../i18n";

interface Props {
  parts: SentencePart[];
  document: Document;
  start: RecordTypeFields | undefined;
  groups: FieldGroup[];
  fields: ReadonlyMap<string, FieldInfo>;
  sheet: SheetColumn[];
  dispatch: (action: Action) => void;
  /** The key of the chip that is open. */
  open: string | null;
  onOpen: (key: string | null) => void;
}

/** The chips that say more than the sentence does: narrow further, arrange, put in order. */
export function SentenceAdds({
  parts,
  document,
  start,
  groups,
  fields,
  sheet,
  dispatch,
  open,
  onOpen,
}: Props) {
  return (
    <>
      <Chip
        label={tr("+ narrow further")}
        name={tr("Narrow further")}
        className="chip-add"
        open={open === "add"}
        onOpen={(on) => onOpen(on ? "add" : null)}
        title={tr("Only records where…")}
      >
        <NarrowPicker
          document={document}
          start={start}
          groups={groups}
          fieldOf={(path) => fields.get(path)}
          sheet={sheet}
          onPick={(node, whole) => {
            dispatch({ type: "addNarrowing", node });
            const place = `filter.all[${rootOf(document).all.length}]`;
            onOpen(whole ? null : "formula" in node ? `formula ${place}` : `value ${place}`);
          }}
        />
      </Chip>
      {outline(document).length > 1 && (
        <Chip
          label={tr("arrange")}
          name={tr("Arrange the narrowings")}
          className="chip-add"
          open={open === "arrange"}
          onOpen={(on) => onOpen(on ? "arrange" : null)}
          title={tr("The narrowings, and how they join")}
        >
          <Arrange
            document={document}
            parts={parts}
            onEdit={(next) => dispatch({ type: "edit", document: next })}
          />
        </Chip>
      )}
      {(document.order ?? []).length === 0 && (
        <Chip
          label={tr("+ put in order")}
          name={tr("Put in order: the rows")}
          className="chip-add"
          open={open === "order"}
          onOpen={(on) => onOpen(on ? "order" : null)}
          title={tr("Order the rows by…")}
        >
          <FieldPicker
            groups={groups}
            onPick={(field) => {
              dispatch({ type: "setOrder", order: [{ path: field.path }] });
              onOpen("order order[0]");
            }}
          />
        </Chip>
      )}
    </>
  );
}
