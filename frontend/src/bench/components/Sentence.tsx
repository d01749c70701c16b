import { useEffect, useRef, useState } from "react";
import { Button } from "react-bootstrap";
import type { FieldGroup, FieldInfo, Problem, RecordTypeFields, SentencePart, SheetColumn } from "../../api";
import { count } from "../../shared";
import { askEachTime, askNoLonger, canAsk, withoutLooseAsks } from "../asks";
import { fieldOfColumn } from "../columns";
import { addAlternative, isCondition, nodeAt, outline, replaceNode, rootOf } from "../filter";
import type { Action } from "../reducer";
import { ruleOf, underRule } from "../rows";
import type { Condition, Document } from "../types";
import { Arrange } from "./Arrange";
import { AskEditor } from "./AskEditor";
import { Chip } from "./Chip";
import { ConditionEditor } from "./ConditionEditor";
import { FieldPicker } from "./FieldPicker";
import { FormulaEditor } from "./FormulaEditor";
import { HasEditor } from "./HasEditor";
import { NarrowPicker } from "./NarrowPicker";
import { RowRule } from "./RowRule";
import { SplitEditor } from "./SplitEditor";
import { LimitEditor, OrderEditor, PicksEditor } from "./SentenceEditors";

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

/** The chip of the row rule, by what a row stands for. */
const RULE_CHIPS = { record: "records records", child: "rows rows", group: "rows rows.by[0]" };

/** Whether a place is another, or lies inside it. */
function within(place: string, other: string): boolean {
  return other !== "" && place.startsWith(other) && /^(\.|\[|$)/.test(place.slice(other.length));
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
  const fieldOf = (path: string) => fields.get(path);
  const comparedField = (node: Condition) => {
    const info = node.column ? sheet.find((c) => c.id === node.column) : undefined;
    return info ? fieldOfColumn(info) : fields.get(node.path);
  };
  const zone = document.zone ?? "Europe/London";
  const edit = (next: Document, touch?: string) => dispatch({ type: "edit", document: next, touch });
  const wrongAt = (place: string) => problems.filter((p) => within(p.place, place));
  const lift = (place: string) => {
    setOpen(null);
    edit(withoutLooseAsks(replaceNode(document, place, null)));
  };

  const editor = (part: SentencePart) => {
    if (part.role === "records" || part.role === "rows") {
      return (
        <>
          {part.role === "records" && start?.record_type.meaning && (
            <p className="mb-1">{start.record_type.meaning}</p>
          )}
          <RowRule
            document={document}
            start={start}
            groups={groups}
            fieldOf={fieldOf}
            onRule={(rule) => {
              edit(underRule(document, rule, fieldOf, start?.many ?? []));
              // The chip that opened this may stand elsewhere in the new sentence.
              setOpen(RULE_CHIPS[rule.per]);
            }}
          />
          {start && (
            <span className="soft small">
              About {count(start.record_type.rows ?? 0)} {start.record_type.plural} in the source.
            </span>
          )}
        </>
      );
    }
    if (part.role === "limit") return <LimitEditor document={document} dispatch={dispatch} />;
    if (part.role === "split") return <SplitEditor document={document} groups={groups} dispatch={dispatch} />;
    if (part.role === "order")
      return <OrderEditor document={document} groups={groups} fields={fields} dispatch={dispatch} />;
    const place = placeOf(part);
    const node = nodeAt(document, place);
    if (!node) return null;
    if ("has" in node)
      return (
        <HasEditor
          has={node}
          start={start}
          zone={zone}
          onChange={(has) => edit(replaceNode(document, place, has), `has ${place}`)}
          onRemove={() => lift(place)}
        />
      );
    if ("picks" in node) return <PicksEditor name={node.picks} onRemove={() => lift(place)} />;
    if ("formula" in node)
      return (
        <>
          <FormulaEditor
            id="narrowing-formula"
            label="Only records for which this is true"
            formula={node.formula}
            groups={groups}
            columns={document.columns ?? []}
            problems={wrongAt(place)}
            onChange={(formula) =>
              edit(replaceNode(document, place, { formula: formula || "TRUE()" }), `formula ${place}`)
            }
          />
          <div className="editor-end">
            <Button variant="quiet" size="sm" className="text-danger" onClick={() => lift(place)}>
              Remove
            </Button>
          </div>
        </>
      );
    if (!isCondition(node)) return null;
    if (node.ask)
      return (
        <AskEditor
          document={document}
          place={place}
          condition={node}
          field={comparedField(node)}
          onEdit={(next) => edit(next, `ask ${place}`)}
          onSettle={() => edit(askNoLonger(document, place))}
          onRemove={() => lift(place)}
        />
      );
    return (
      <ConditionEditor
        condition={node}
        field={comparedField(node)}
        groups={groups}
        zone={zone}
        problems={wrongAt(place)}
        onChange={(changed) => dispatch({ type: "setNarrowing", place, node: changed })}
        onRemove={() => lift(place)}
        onAsk={canAsk(node.is) ? () => edit(askEachTime(document, place, comparedField(node))) : undefined}
        onAlternative={(other) => {
          dispatch({ type: "addAlternative", place, node: other });
          setOpen(`value ${addAlternative(document, place, other).place}`);
        }}
      />
    );
  };

  return (
    <section className="sentence" aria-label="The template in words">
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
                name={`${part.text}${part.note ? `, ${part.note}` : ""}: change`}
                className={`chip ${part.role} ${wrong}`}
                open={open === key}
                onOpen={(on) => setOpen(on ? key : null)}
                title={titleOf(part, document, comparedField)}
              >
                {editor(part)}
              </Chip>
              {note(part)}
            </span>
          );
        })}
        {editable && (
          <>
            <Chip
              label="+ narrow further"
              name="Narrow further"
              className="chip-add"
              open={open === "add"}
              onOpen={(on) => setOpen(on ? "add" : null)}
              title="Only records where…"
            >
              <NarrowPicker
                document={document}
                start={start}
                groups={groups}
                fieldOf={fieldOf}
                sheet={sheet}
                onPick={(node, whole) => {
                  dispatch({ type: "addNarrowing", node });
                  const place = `filter.all[${rootOf(document).all.length}]`;
                  setOpen(whole ? null : "formula" in node ? `formula ${place}` : `value ${place}`);
                }}
              />
            </Chip>
            {outline(document).length > 1 && (
              <Chip
                label="arrange"
                name="Arrange the narrowings"
                className="chip-add"
                open={open === "arrange"}
                onOpen={(on) => setOpen(on ? "arrange" : null)}
                title="The narrowings, and how they join"
              >
                <Arrange document={document} parts={parts} onEdit={(next) => edit(next)} />
              </Chip>
            )}
            {(document.order ?? []).length === 0 && (
              <Chip
                label="+ put in order"
                name="Put in order: the rows"
                className="chip-add"
                open={open === "order"}
                onOpen={(on) => setOpen(on ? "order" : null)}
                title="Order the rows by…"
              >
                <FieldPicker
                  groups={groups}
                  onPick={(field) => {
                    dispatch({ type: "setOrder", order: [{ path: field.path }] });
                    setOpen("order order[0]");
                  }}
                />
              </Chip>
            )}
          </>
        )}
      </div>
      {fold.more && (
        <button
          type="button"
          className="btn-link-plain small"
          aria-expanded={!fold.folded}
          onClick={fold.toggle}
        >
          {fold.folded ? "the whole sentence" : "fold the sentence"}
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

/** The narrowing that a part of the sentence belongs to: of a "has", the whole of it. */
function placeOf(part: SentencePart): string {
  return part.place.split(".where")[0]!;
}

/** Whether there is an editor for a part of the sentence. */
function canEdit(part: SentencePart, document: Document): boolean {
  if (["records", "rows", "limit", "order", "split"].includes(part.role)) return true;
  if (!["field", "value", "formula"].includes(part.role) || !part.place.startsWith("filter")) return false;
  return nodeAt(document, placeOf(part)) !== undefined;
}

function note(part: SentencePart) {
  return part.note ? <small> ({part.note})</small> : null;
}

function titleOf(
  part: SentencePart,
  document: Document,
  fieldOf: (node: Condition) => FieldInfo | undefined,
): string {
  if (part.role === "records" || part.role === "rows") return "One row per what?";
  if (part.role === "limit") return "How many rows, and which?";
  if (part.role === "order") return "In which order?";
  if (part.role === "split") return "One file, or several?";
  const node = nodeAt(document, placeOf(part));
  if (!node || !isCondition(node)) return "Only records where…";
  const field = fieldOf(node);
  return field ? (node.is === "in_window" ? `${field.label}: which days?` : field.label) : (node.path ?? "");
}
