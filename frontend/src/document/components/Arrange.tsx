import {
  DndContext,
  KeyboardSensor,
  PointerSensor,
  pointerWithin,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import { useState } from "react";
import { Form } from "react-bootstrap";
import type { SentencePart } from "../../api";
import { Icon } from "../../shared";
import { howOf, isGroup, moveNode, outline, regroup, replaceNode } from "../filter";
import type { Document, Narrowing } from "../types";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  parts: SentencePart[];
  onEdit: (document: Document) => void;
}

/**
 * The narrowings as a list, to be put in another order and joined in other ways: drag one between others, or on to
 * another so that either of them will do. The arrows do the same without the mouse.
 */
export function Arrange({ document, parts, onEdit }: Props) {
  const lines = outline(document);
  const [over, setOver] = useState<string | null>(null);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor),
  );
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={pointerWithin}
      onDragOver={(e) => setOver(e.over ? String(e.over.id) : null)}
      onDragCancel={() => setOver(null)}
      onDragEnd={(e) => {
        setOver(null);
        const target = e.over ? String(e.over.id) : null;
        if (!target) return;
        const [how, place] = target.split(" ") as [string, string | undefined];
        onEdit(moveNode(document, String(e.active.id), place ?? null, how === "into"));
      }}
    >
      <ol className="arrange">
        {lines.map(({ place, depth, node }, n) => (
          <Line
            key={place}
            place={place}
            depth={depth}
            node={node}
            words={wordsOf(parts, place, node)}
            over={over}
            above={before(lines, n)}
            onEdit={onEdit}
            document={document}
          />
        ))}
        <End over={over === "end"} />
      </ol>
      <p className="soft small mb-0">
        {tr("Drag a narrowing between two others to move it; on to another, so that either will do.")}
      </p>
    </DndContext>
  );
}

/** The line above at the same depth or less, to move before or join with. */
function before(lines: ReturnType<typeof outline>, n: number): string | undefined {
  return lines.slice(0, n).findLast((l) => l.depth <= lines[n]!.depth)?.place;
}

function Line({
  place,
  depth,
  node,
  words,
  over,
  above,
  document,
  onEdit,
}: {
  place: string;
  depth: number;
  node: Narrowing;
  words: string;
  over: string | null;
  above: string | undefined;
  document: Document;
  onEdit: (document: Document) => void;
}) {
  const drag = useDraggable({ id: place });
  const into = useDroppable({ id: `into ${place}` });
  const between = useDroppable({ id: `before ${place}` });
  const group = isGroup(node);
  return (
    <li style={{ marginLeft: depth * 22 }} className={drag.isDragging ? "dragging" : ""}>
      <div ref={between.setNodeRef} className={`between ${over === `before ${place}` ? "over" : ""}`} />
      <div ref={into.setNodeRef} className={`line ${over === `into ${place}` ? "over" : ""}`}>
        <button
          type="button"
          className="grip"
          ref={drag.setNodeRef}
          {...drag.attributes}
          {...drag.listeners}
          aria-label={tr("Move {{words}}", { words })}
        >
          <Icon name="grip" />
        </button>
        {group ? (
          <Form.Select
            size="sm"
            style={{ width: 230 }}
            aria-label={tr("How the parts join")}
            value={howOf(node)}
            onChange={(e) => onEdit(regroup(document, place, e.target.value as "all" | "any" | "none"))}
          >
            <option value="all">{tr("all of these hold")}</option>
            <option value="any">{tr("at least one of these holds")}</option>
            <option value="none">{tr("none of these holds")}</option>
          </Form.Select>
        ) : (
          <span className="one-line flex-fill" title={words}>
            {words}
          </span>
        )}
        <button
          type="button"
          className="btn btn-quiet btn-sm"
          disabled={!above}
          onClick={() => above && onEdit(moveNode(document, place, above))}
        >
          <Icon name="arrowUp" label={tr("Move {{words}} up", { words })} />
        </button>
        {!group && (
          <button
            type="button"
            className="btn btn-quiet btn-sm text-nowrap"
            disabled={!above}
            onClick={() => above && onEdit(moveNode(document, place, above, true))}
          >
            {tr("either")}
            <span className="visually-hidden"> {tr("{{words}} or the one above will do", { words })}</span>
          </button>
        )}
        {depth > 0 && (
          <button
            type="button"
            className="btn btn-quiet btn-sm text-nowrap"
            onClick={() => onEdit(moveNode(document, place, null))}
          >
            {tr("out")}
            <span className="visually-hidden"> {tr("of the group: {{words}}", { words })}</span>
          </button>
        )}
        <button
          type="button"
          className="btn btn-quiet btn-sm"
          onClick={() => onEdit(replaceNode(document, place, null))}
        >
          <Icon name="x" label={tr("Lift {{words}}", { words })} />
        </button>
      </div>
    </li>
  );
}

function End({ over }: { over: boolean }) {
  const drop = useDroppable({ id: "end" });
  return <li ref={drop.setNodeRef} className={`between end ${over ? "over" : ""}`} aria-hidden />;
}

/** A narrowing as the sentence says it. */
function wordsOf(parts: SentencePart[], place: string, node: Narrowing): string {
  if (isGroup(node)) return tr("the group");
  const own = (p: SentencePart) => p.place === place || p.place.startsWith(`${place}.where`);
  const first = parts.findIndex(own);
  const last = parts.findLastIndex(own);
  if (first < 0) return tr("a narrowing without a value");
  const said = parts
    .slice(first, last + 1)
    .map((p) => p.text)
    .join("");
  return "has" in node ? tr("it has {{said}}", { said }) : said;
}
