"use client";

import { Plus, Trash2 } from "lucide-react";
import { useMemo, useState } from "react";
import { curvesOf } from "@/core/display";
import { mapPoint, IDENTITY, inverse } from "@/core/register";
import { PRIORITY } from "@/engine/pool";
import { addSpot, moveSpot, spotOf } from "@/state/board";
import type { Board, StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import { Grip, SortableList, useSorted } from "../kit/sortable";
import { IconButton } from "../kit/button";
import { useCrop } from "../viewer/useCrop";
import { usePainted } from "../viewer/usePainted";
import { useDesk } from "./desk";
import { MaskOverlay } from "./maskOverlay";
import { PlacedOverlay, useOpenPlaced } from "./placedOverlay";
import { useLaneTreatment } from "./useTreatment";
import { VerdictPanel } from "./verdictPanel";

/** The column less its padding and border: a pixel more makes it scroll. */
const WIDTH = 199;

/** The whole picture with the spots on it, and their names. */
export function Overview({ board, stack }: { board: Board; stack: StackRecord }) {
  return (
    <aside className="flex w-[184px] shrink-0 xl:w-[216px] flex-col gap-3 overflow-x-hidden overflow-y-auto border-r border-line bg-panel p-2">
      <SpotMap board={board} stack={stack} />
      <SpotList board={board} stack={stack} />
      <VerdictPanel board={board} />
    </aside>
  );
}

/** A place in a stack as a spot of the project. */
function inProject({ toProject }: StackRecord, x: number, y: number): { x: number; y: number } {
  const [px, py] = mapPoint(toProject ?? IDENTITY, x, y);
  return { x: Math.round(px), y: Math.round(py) };
}

function SpotMap({ board, stack }: { board: Board; stack: StackRecord }) {
  const session = useSession();
  const { width, height, stretch } = stack.facts;
  const scale = WIDTH / width;
  const reduce = Math.max(1, Math.floor(width / (WIDTH * 1.5)));
  const plain = useMemo(() => ({ id: "overview", letter: "A", stackId: stack.id, steps: [] }), [stack.id]);
  const { treatment } = useLaneTreatment(plain);
  const { shown } = useCrop(session.crops, treatment, { x: 0, y: 0, width, height }, reduce, {
    priority: PRIORITY.view,
    affinity: "overview",
  });
  // Spots lie in the project's coordinates; this stack need not be the one that gave them.
  const toStack = useMemo(() => inverse(stack.toProject ?? IDENTITY), [stack]);
  const curves = useMemo(() => curvesOf({ display: board.display, levels: stretch }), [board.display, stretch]);
  const canvas = usePainted(shown?.raster ?? null, curves);
  const maskId = useDesk((desk) => desk.maskId);
  const mask = board.masks.find(({ id }) => id === maskId);
  const placed = useOpenPlaced(board);
  const [dragging, setDragging] = useState<string | null>(null);
  const cell = { width: WIDTH, height: height * scale };
  const seen = { cell, left: 0, top: 0, scale, region: { x: 0, y: 0, width, height }, reduce, onto: null };
  /** The place of the project nearest to one, on the stack: a spot does not leave the picture. */
  const within = (x: number, y: number) => {
    const [u, v] = mapPoint(toStack, x, y);
    return inProject(stack, Math.min(width - 1, Math.max(0, u)), Math.min(height - 1, Math.max(0, v)));
  };
  const place = (event: React.PointerEvent | React.MouseEvent, element: Element) => {
    const bounds = element.getBoundingClientRect();
    return inProject(
      stack,
      Math.min(width - 1, Math.max(0, (event.clientX - bounds.left) / scale)),
      Math.min(height - 1, Math.max(0, (event.clientY - bounds.top) / scale)),
    );
  };
  return (
    <div
      className="relative touch-none select-none"
      style={{ width: WIDTH, height: height * scale }}
      data-testid="spot-map"
      data-help="The stack and its spots: drag a spot to move it, double click to add one"
      onPointerMove={(event) => {
        if (!dragging) return;
        const to = place(event, event.currentTarget);
        session.board.change(
          (b) => ({ ...b, spots: b.spots.map((spot) => (spot.id === dragging ? { ...spot, ...to } : spot)) }),
          `spot.${dragging}`,
        );
      }}
      onPointerUp={() => setDragging(null)}
      onDoubleClick={(event) => {
        const { x, y } = place(event, event.currentTarget);
        session.board.change((b) => addSpot(b, x, y));
      }}
    >
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      {mask ? <MaskOverlay mask={mask} stack={stack} toPicture={toStack} view={seen} affinity="overview" /> : null}
      {placed ? <PlacedOverlay {...placed} toPicture={toStack} project={stack.facts} view={seen} /> : null}
      {board.spots.map((spot, i) => {
        const [left, top] = mapPoint(toStack, spot.x, spot.y).map((v) => v * scale);
        return (
          <button
            key={spot.id}
            type="button"
            aria-label={`${i + 1}: spot ${spot.name}; drag or arrow keys move it`}
            title={spot.name}
            data-spot={spot.name}
            className="figures absolute h-6 w-6 -translate-x-1/2 -translate-y-1/2 cursor-grab rounded-full border border-white bg-black/60 text-xs text-white"
            style={{ left, top }}
            onPointerDown={(event) => {
              event.preventDefault();
              event.currentTarget.parentElement?.setPointerCapture(event.pointerId);
              setDragging(spot.id);
            }}
            onKeyDown={(event) => {
              const by: Record<string, [number, number]> = {
                ArrowLeft: [-4, 0],
                ArrowRight: [4, 0],
                ArrowUp: [0, -4],
                ArrowDown: [0, 4],
              };
              const move = by[event.key];
              if (!move) return;
              event.preventDefault();
              event.stopPropagation();
              session.board.change(
                (b) => ({
                  ...b,
                  spots: b.spots.map((s) => (s.id === spot.id ? { ...s, ...within(s.x + move[0], s.y + move[1]) } : s)),
                }),
                `spot.${spot.id}`,
              );
            }}
          >
            {i + 1}
          </button>
        );
      })}
    </div>
  );
}

function SpotList({ board, stack }: { board: Board; stack: StackRecord }) {
  const session = useSession();
  return (
    <section>
      <div className="flex items-center">
        <h3 className="flex-1 text-quiet">Spots</h3>
        <IconButton
          label="Add a spot in the middle of the picture"
          onClick={() => {
            const { x, y } = inProject(stack, stack.facts.width / 2, stack.facts.height / 2);
            session.board.change((b) => addSpot(b, x, y));
          }}
        >
          <Plus size={14} />
        </IconButton>
      </div>
      <SortableList
        ids={board.spots.map(({ id }) => id)}
        onMove={(from, to) => session.board.change((b) => moveSpot(b, from, to))}
      >
        <ol>
          {board.spots.map((spot, i) => (
            <SpotRow key={spot.id} {...{ board, spot }} number={i + 1} />
          ))}
        </ol>
      </SortableList>
    </section>
  );
}

function SpotRow({ board, spot, number }: { board: Board; spot: Board["spots"][number]; number: number }) {
  const session = useSession();
  const { ref, style, grip } = useSorted(spot.id);
  const isChosen = spotOf(board)?.id === spot.id;
  return (
    <li {...{ ref, style }} className="relative flex items-center gap-1 bg-panel">
      <button
        type="button"
        aria-pressed={isChosen}
        aria-label={`Show spot ${number}, ${spot.name}`}
        title="Shows this spot where one spot is shown, and tells its evidence"
        data-help="The spot that is shown where one is shown, and whose evidence is told: keys , and ."
        className={`figures h-5 w-5 shrink-0 rounded border ${isChosen ? "border-quiet text-text" : "border-transparent text-quiet hover:text-text"}`}
        onClick={() => session.board.amend((b) => ({ ...b, look: { ...b.look, spotId: spot.id } }))}
      >
        {number}
      </button>
      <SpotName
        name={spot.name}
        onChange={(name) =>
          session.board.change(
            (b) => ({ ...b, spots: b.spots.map((s) => (s.id === spot.id ? { ...s, name } : s)) }),
            `name.${spot.id}`,
          )
        }
      />
      <Grip label={`Drag spot ${spot.name} to another place`} help="Drag a spot to another row" grip={grip} />
      <IconButton
        label={`Remove spot ${spot.name}`}
        help="Removes the spot"
        disabled={board.spots.length <= 1}
        onClick={() => session.board.change((b) => ({ ...b, spots: b.spots.filter((s) => s.id !== spot.id) }))}
      >
        <Trash2 size={12} />
      </IconButton>
    </li>
  );
}

/** A name that may be empty while it is typed, but not when it is left. */
function SpotName({ name, onChange }: { name: string; onChange: (name: string) => void }) {
  const [draft, setDraft] = useState<string | null>(null);
  return (
    <input
      aria-label="Name of the spot"
      className="min-w-0 flex-1 rounded bg-transparent px-1 hover:bg-raised focus:bg-raised"
      maxLength={60}
      value={draft ?? name}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={() => {
        if (draft !== null && draft.trim() !== "") onChange(draft.trim());
        setDraft(null);
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        event.stopPropagation();
      }}
    />
  );
}
