import {
  DndContext,
  DragOverlay,
  KeyboardSensor,
  PointerSensor,
  closestCenter,
  pointerWithin,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import type { CollisionDetection, DragEndEvent } from "@dnd-kit/core";
import { sortableKeyboardCoordinates } from "@dnd-kit/sortable";
import { useState } from "react";
import type { ReactNode } from "react";
import type { FieldGroup, FieldInfo } from "../../api";
import { NEW_COLUMN } from "./Sheet";
import { tr } from "../../i18n";

interface DraggingProps {
  columns: string[];
  headings: Map<string, string>;
  fieldOf: (path: string) => { field: FieldInfo; group: FieldGroup } | undefined;
  onMove: (id: string, to: number) => void;
  onPlace: (field: FieldInfo, group: FieldGroup | undefined, at?: number) => void;
  children: (dropBefore: string | null) => ReactNode;
}

/** Columns are dragged along the sheet, fields from the shelf on to it; both also by keyboard. */
export function Dragging({ columns, headings, fieldOf, onMove, onPlace, children }: DraggingProps) {
  const [active, setActive] = useState<string | null>(null);
  const [over, setOver] = useState<string | null>(null);
  const [many, setMany] = useState(1);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, {
      coordinateGetter: sortableKeyboardCoordinates,
      keyboardCodes: { start: ["Space"], end: ["Space", "Enter"], cancel: ["Escape"] },
    }),
  );
  const isField = active?.startsWith("field:") ?? false;
  const collide: CollisionDetection = (args) => {
    const field = String(args.active.id).startsWith("field:");
    const droppables = args.droppableContainers.filter((c) => field || c.id !== NEW_COLUMN);
    return field
      ? pointerWithin({ ...args, droppableContainers: droppables })
      : closestCenter({ ...args, droppableContainers: droppables });
  };
  const end = (event: DragEndEvent) => {
    const target = event.over ? String(event.over.id) : null;
    const id = String(event.active.id);
    setActive(null);
    setOver(null);
    if (!target) return;
    const at = columns.indexOf(target);
    if (id.startsWith("field:")) {
      togetherOf(event)
        .flatMap((path) => fieldOf(path) ?? [])
        .forEach(({ field, group }, n) => onPlace(field, group, at < 0 ? undefined : at + n));
    } else if (at >= 0 && id !== target) onMove(id, at);
  };
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={collide}
      onDragStart={(event) => {
        setActive(String(event.active.id));
        setMany(togetherOf(event).length);
      }}
      onDragOver={(event) => setOver(event.over ? String(event.over.id) : null)}
      onDragEnd={end}
      onDragCancel={() => {
        setActive(null);
        setOver(null);
      }}
      accessibility={{
        announcements: {
          onDragStart: ({ active: a }) =>
            tr("Picked up {{id}}.", { id: headings.get(String(a.id)) ?? tr("the field") }),
          onDragOver: ({ over: o }) =>
            o
              ? tr("Over column {{id}} of {{columns}}.", {
                  id: columns.indexOf(String(o.id)) + 1,
                  columns: columns.length,
                })
              : tr("Over no column."),
          onDragEnd: ({ over: o }) =>
            o ? tr("Put down as column {{id}}.", { id: columns.indexOf(String(o.id)) + 1 }) : tr("Put back."),
          onDragCancel: () => tr("Back in its place."),
        },
      }}
    >
      {children(active && over !== active ? over : null)}
      <DragOverlay dropAnimation={null}>
        {active && (
          <div className="ghost">
            {!isField
              ? headings.get(active)
              : many > 1
                ? tr("{{many}} fields", { many })
                : fieldOf(active.slice(6))?.field.label}
          </div>
        )}
      </DragOverlay>
    </DndContext>
  );
}

/** The paths of the fields that are dragged: the one that was taken, with all that are chosen with it. */
function togetherOf({ active }: Pick<DragEndEvent, "active">): string[] {
  const data = active.data.current as { together?: () => string[] } | undefined;
  return data?.together?.() ?? [String(active.id).replace(/^field:/, "")];
}
