import { useEffect, useRef, useState } from "react";
import type { FieldGroup, Problem, RecordTypeFields, SentencePart, SheetColumn } from "../../api";
import { fieldOfColumn } from "../columns";
import type { Action } from "../reducer";
import { ruleOf } from "../rows";
import { RULE_CHIPS, canEdit, titleOf, within } from "../sentence";
import type { Condition, Document } from "../types";
import { Chip } from "./Chip";
import { PartEditor } from "./PartEditor";
import { SentenceAdds } from "./SentenceAdds";
import { tr } from "../../i18n";

interface Props {
  parts: SentencePart[];
  document: Document;
  start: RecordTypeFields | undefined;
  groups: FieldGroup[];
  problems: Problem[];
  editable: boolean;
  dispatch: (action: Action) => void;
  /** The chip to open from outside, such as by a key: `add`, `rows`… */
  wanted?: { key: string; at: number } | null;
  /** The columns of the sheet as they stand; rows can be narrowed by their results. */
  sheet?: SheetColumn[];
  onFold?: (column: number) => void;
}

const NONE: SheetColumn[] = [];

/** Lines of the sentence before it folds. */
const LINES = 3;

/** The whole template in words; every part that can be changed is a chip. */
export function Sentence(props: Props) {
  const {
    parts,
    document,
    start,
    groups,
    problems,
    editable,
    dispatch,
    wanted,
    onFold,
    sheet = NONE,
  } = props;
  const [open, setOpen] = useState<string | null>(null);
  const [seen, setSeen] = useState(0);
  if (wanted && wanted.at !== seen) {
    setSeen(wanted.at);
    // A problem's place may lie inside the narrowing whose chip is meant.
    const part = parts.find(
      (p) => ["value", "formula"].includes(p.role) && within(wanted.key, p.place.split(".where")[0]!),
    );
    setOpen(
      wanted.key === "rows"
        ? RULE_CHIPS[ruleOf(document).per]
        : part
          ? `${part.role} ${part.place}`
          : wanted.key,
    );
  }
  const fold = useFold(parts);
  const fields = new Map(groups.flatMap((g) => g.fields.map((f) => [f.path, f] as const)));
  const comparedField = (node: Condition) => {
    const info = node.column ? sheet.find((c) => c.id === node.column) : undefined;
    return info ? fieldOfColumn(info) : fields.get(node.path ?? "");
  };
  const wrongAt = (place: string) => problems.filter((p) => within(p.place, place));

  return (
    <section className="sentence" aria-label={tr("The template in words")}>
      <div ref={fold.ref} className={fold.folded ? "folded" : ""}>
        {parts.map((part, n) => {
          const inFold = /^columns\[(\d+)\]\.value\.fold/.exec(part.place);
          if (part.role === "text" || !editable || (!canEdit(part, document) && !inFold))
            return (
              <span key={n} className={part.role === "text" ? undefined : "said"}>
                {part.text}
                {note(part)}
              </span>
            );
          const key = `${part.role} ${part.place}`;
          const wrong = wrongAt(part.place).length > 0 ? "wrong" : "";
          if (inFold)
            return (
              <span key={n}>
                <button
                  type="button"
                  className={`chip ${part.role} ${wrong}`}
                  onClick={() => onFold?.(Number(inFold[1]))}
                >
                  {part.text}
                </button>
                {note(part)}
              </span>
            );
          return (
            <span key={n}>
              <Chip
                label={part.text}
                name={tr("{{part}}{{note}}: change", {
                  part: part.text,
                  note: part.note ? `, ${part.note}` : "",
                })}
                className={`chip ${part.role} ${wrong}`}
                open={open === key}
                onOpen={(on) => setOpen(on ? key : null)}
                title={titleOf(part, document, comparedField)}
              >
                <PartEditor
                  part={part}
                  document={document}
                  start={start}
                  groups={groups}
                  problems={problems}
                  fields={fields}
                  comparedField={comparedField}
                  dispatch={dispatch}
                  onOpen={setOpen}
                />
              </Chip>
              {note(part)}
            </span>
          );
        })}
        {editable && (
          <SentenceAdds
            parts={parts}
            document={document}
            start={start}
            groups={groups}
            fields={fields}
            sheet={sheet}
            dispatch={dispatch}
            open={open}
            onOpen={setOpen}
          />
        )}
      </div>
      {fold.more && (
        <button
          type="button"
          className="btn-link-plain small"
          aria-expanded={!fold.folded}
          onClick={fold.toggle}
        >
          {fold.folded ? tr("the whole sentence") : tr("fold the sentence")}
        </button>
      )}
    </section>
  );
}

/** Whether the sentence is longer than its lines, and whether it is folded to them. */
function useFold(parts: SentencePart[]) {
  const ref = useRef<HTMLDivElement>(null);
  const [more, setMore] = useState(false);
  const [unfolded, setUnfolded] = useState(false);
  useEffect(() => {
    const element = ref.current;
    if (!element) return;
    const measure = () => {
      const line = parseFloat(getComputedStyle(element).lineHeight);
      setMore(element.scrollHeight > line * (LINES + 0.6));
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => observer.disconnect();
  }, [parts]);
  return { ref, more, folded: more && !unfolded, toggle: () => setUnfolded((on) => !on) };
}

function note(part: SentencePart) {
  return part.note ? <small> ({part.note})</small> : null;
}
