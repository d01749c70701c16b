import { Button } from "react-bootstrap";
import type { FieldGroup, FieldInfo, Problem, RecordTypeFields, SentencePart } from "../../api";
import { count } from "../../shared";
import { askEachTime, askNoLonger, canAsk, withoutLooseAsks } from "../asks";
import { addAlternative, isCondition, nodeAt, replaceNode } from "../filter";
import type { Action } from "../reducer";
import { underRule } from "../rows";
import { RULE_CHIPS, placeOf, within } from "../sentence";
import type { Condition, Document } from "../types";
import { AskEditor } from "./AskEditor";
import { ConditionEditor } from "./ConditionEditor";
import { FormulaEditor } from "./FormulaEditor";
import { HasEditor } from "./HasEditor";
import { RowRule } from "./RowRule";
import { SplitEditor } from "./SplitEditor";
import { LimitEditor, OrderEditor, PicksEditor } from "./SentenceEditors";
import { tr } from "../../i18n";

interface Props {
  part: SentencePart;
  document: Document;
  start: RecordTypeFields | undefined;
  groups: FieldGroup[];
  problems: Problem[];
  fields: ReadonlyMap<string, FieldInfo>;
  /** What a condition compares: a field, or the result of a column. */
  comparedField: (node: Condition) => FieldInfo | undefined;
  dispatch: (action: Action) => void;
  /** Opens the chip of this key, or none. */
  onOpen: (key: string | null) => void;
}

/** What is shown under a chip of the sentence. */
export function PartEditor(props: Props) {
  const { part, document, start, groups, fields, dispatch, onOpen } = props;
  const edit = (next: Document, touch?: string) => dispatch({ type: "edit", document: next, touch });
  if (part.role === "records" || part.role === "rows") {
    const fieldOf = (path: string) => fields.get(path);
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
            onOpen(RULE_CHIPS[rule.per]);
          }}
        />
        {start && (
          <span className="soft small">
            {tr("About {{rows}} {{record_type}} in the source.", {
              rows: count(start.record_type.rows ?? 0),
              record_type: start.record_type.plural,
            })}
          </span>
        )}
      </>
    );
  }
  if (part.role === "limit") return <LimitEditor document={document} dispatch={dispatch} />;
  if (part.role === "split") return <SplitEditor document={document} groups={groups} dispatch={dispatch} />;
  if (part.role === "order")
    return <OrderEditor document={document} groups={groups} fields={fields} dispatch={dispatch} />;
  return <NarrowingEditor {...props} />;
}

/** The narrowing that a part of the sentence belongs to. */
function NarrowingEditor(props: Props) {
  const { part, document, start, groups, problems, comparedField, dispatch, onOpen } = props;
  const zone = document.zone ?? "Europe/London";
  const place = placeOf(part);
  const node = nodeAt(document, place);
  const wrong = problems.filter((p) => within(p.place, place));
  const edit = (next: Document, touch?: string) => dispatch({ type: "edit", document: next, touch });
  const remove = () => {
    onOpen(null);
    edit(withoutLooseAsks(replaceNode(document, place, null)));
  };
  if (!node) return null;
  if ("has" in node)
    return (
      <HasEditor
        has={node}
        start={start}
        zone={zone}
        onChange={(has) => edit(replaceNode(document, place, has), `has ${place}`)}
        onRemove={remove}
      />
    );
  if ("picks" in node) return <PicksEditor name={node.picks} onRemove={remove} />;
  if ("formula" in node)
    return (
      <>
        <FormulaEditor
          id="narrowing-formula"
          label={tr("Only records for which this is true")}
          formula={node.formula}
          groups={groups}
          columns={document.columns ?? []}
          problems={wrong}
          onChange={(formula) =>
            edit(replaceNode(document, place, { formula: formula || "TRUE()" }), `formula ${place}`)
          }
        />
        <div className="editor-end">
          <Button variant="quiet" size="sm" className="text-danger" onClick={remove}>
            {tr("Remove")}
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
        onRemove={remove}
      />
    );
  return (
    <ConditionEditor
      condition={node}
      field={comparedField(node)}
      groups={groups}
      zone={zone}
      problems={wrong}
      onChange={(changed) => dispatch({ type: "setNarrowing", place, node: changed })}
      onRemove={remove}
      onAsk={canAsk(node.is) ? () => edit(askEachTime(document, place, comparedField(node))) : undefined}
      onAlternative={(other) => {
        dispatch({ type: "addAlternative", place, node: other });
        onOpen(`value ${addAlternative(document, place, other).place}`);
      }}
    />
  );
}
