"use client";

import type { DragEndEvent } from "@dnd-kit/core";
import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import { rectSortingStrategy, SortableContext, sortableKeyboardCoordinates, useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { GripVertical } from "lucide-react";
import type { ReactNode } from "react";
import { useId } from "react";

/** Things that are dragged into another order by their grips, with the pointer or the keys. `onMove` hears where one came from and went to. */
export function SortableList({
  ids,
  onMove,
  children,
}: {
  ids: readonly string[];
  onMove: (from: number, to: number) => void;
  children: ReactNode;
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    if (over && active.id !== over.id) onMove(ids.indexOf(String(active.id)), ids.indexOf(String(over.id)));
  };
  return (
    <DndContext id={useId()} sensors={sensors} collisionDetection={closestCenter} onDragEnd={onDragEnd}>
      <SortableContext items={[...ids]} strategy={rectSortingStrategy}>
        {children}
      </SortableContext>
    </DndContext>
  );
}

/** What makes an element one of the list: its ref, where it is while others are dragged past it, and what its grip needs. */
export function useSorted(id: string, disabled = false) {
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id, disabled });
  return {
    ref: setNodeRef,
    style: { transform: CSS.Translate.toString(transform), transition, zIndex: isDragging ? 20 : undefined },
    grip: { ...attributes, ...listeners },
  };
}

export function Grip({
  label,
  help,
  grip,
  className = "",
}: {
  label: string;
  help: string;
  grip: ReturnType<typeof useSorted>["grip"];
  className?: string;
}) {
  return (
    <button
      type="button"
      className={`flex h-6 w-6 shrink-0 cursor-grab touch-none items-center justify-center text-quiet ${className}`}
      aria-label={label}
      title={label}
      data-help={help}
      {...grip}
    >
      <GripVertical size={14} />
    </button>
  );
}
