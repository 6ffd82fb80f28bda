"use client";

import { Plus, Trash2 } from "lucide-react";
import { useLayoutEffect, useMemo, useRef, useState } from "react";
import { stretchCurves } from "@/core/operations";
import { PRIORITY } from "@/engine/pool";
import type { Board, StackRecord } from "@/storage";
import { ZOOMS } from "@/storage";
import { useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { NumberSetting } from "../kit/setting";
import { toImageData } from "../viewer/display";
import { useCrop } from "../viewer/useCrop";
import { useLaneTreatment } from "./useTreatment";

const WIDTH = 200;

/** The whole picture with the spots on it, the zoom, and how everything is displayed. */
export function Overview({ board, stack, latencyMs }: { board: Board; stack: StackRecord; latencyMs: number | null }) {
  const session = useSession();
  return (
    <aside className="flex w-[216px] shrink-0 flex-col gap-3 overflow-y-auto border-r border-line bg-panel p-2">
      <SpotMap board={board} stack={stack} />
      <SpotList board={board} stack={stack} />
      <div
        className="flex gap-1"
        role="group"
        aria-label="Zoom of all crops"
        data-help="Zoom of all crops: keys 0 1 2 3 4"
      >
        {ZOOMS.map((zoom) => (
          <button
            key={zoom}
            type="button"
            aria-pressed={board.view.zoom === zoom}
            className={`figures flex-1 rounded border py-0.5 ${board.view.zoom === zoom ? "border-quiet text-text" : "border-line text-quiet hover:text-text"}`}
            onClick={() => session.amendBoard((b) => ({ ...b, view: { ...b.view, zoom } }))}
          >
            {zoom === "fit" ? "fit" : `${zoom}:1`}
          </button>
        ))}
      </div>
      {board.view.panX !== 0 || board.view.panY !== 0 ? (
        <Button
          help="Moves all crops back to their spots (Home)"
          onClick={() => session.amendBoard((b) => ({ ...b, view: { ...b.view, panX: 0, panY: 0 } }))}
        >
          Back to the spots
        </Button>
      ) : null}
      <section>
        <h3 className="text-quiet">Display, the same for all</h3>
        <NumberSetting
          label="Sky brightness"
          hint="How bright the sky is shown in every crop; the data stay as they are"
          min={0.02}
          max={0.5}
          step={0.01}
          value={board.display.sky}
          onChange={(sky) => session.changeBoard((b) => ({ ...b, display: { ...b.display, sky } }), "display.sky")}
        />
        <NumberSetting
          label="Black below sky"
          hint="Where black is shown, in σ below the sky"
          unit="σ"
          min={0}
          max={20}
          step={0.1}
          value={board.display.black}
          onChange={(black) =>
            session.changeBoard((b) => ({ ...b, display: { ...b.display, black } }), "display.black")
          }
        />
      </section>
      <p
        className="mt-auto text-sm text-quiet"
        data-help="Time from the last change of a setting to the last crop that followed it"
      >
        Last change shown after{" "}
        <span className="figures text-text">{latencyMs === null ? "–" : Math.round(latencyMs)}</span> ms
      </p>
    </aside>
  );
}

function SpotMap({ board, stack }: { board: Board; stack: StackRecord }) {
  const session = useSession();
  const { width, height, stretch } = stack.facts;
  const scale = WIDTH / width;
  const reduce = Math.max(1, Math.floor(width / (WIDTH * 1.5)));
  const plain = useMemo(() => ({ id: "overview", letter: "A", stackId: stack.id, steps: [] }), [stack.id]);
  const { treatment } = useLaneTreatment(plain);
  const { shown } = useCrop(session.pool, treatment, { x: 0, y: 0, width, height }, reduce, {
    priority: PRIORITY.view,
    affinity: "overview",
  });
  const canvas = useRef<HTMLCanvasElement>(null);
  const curves = useMemo(() => stretchCurves(board.display, stretch), [board.display, stretch]);
  const [dragging, setDragging] = useState<string | null>(null);
  useLayoutEffect(() => {
    const target = canvas.current;
    if (!target || !shown) return;
    target.width = shown.raster.width;
    target.height = shown.raster.height;
    target.getContext("2d")?.putImageData(toImageData(shown.raster, curves), 0, 0);
  }, [shown, curves]);
  const place = (event: React.PointerEvent | React.MouseEvent, element: Element) => {
    const bounds = element.getBoundingClientRect();
    return {
      x: Math.round(Math.min(width - 1, Math.max(0, (event.clientX - bounds.left) / scale))),
      y: Math.round(Math.min(height - 1, Math.max(0, (event.clientY - bounds.top) / scale))),
    };
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
        session.changeBoard(
          (b) => ({ ...b, spots: b.spots.map((spot) => (spot.id === dragging ? { ...spot, ...to } : spot)) }),
          `spot.${dragging}`,
        );
      }}
      onPointerUp={() => setDragging(null)}
      onDoubleClick={(event) => {
        const to = place(event, event.currentTarget);
        session.changeBoard((b) => ({
          ...b,
          spots: [...b.spots, { id: crypto.randomUUID(), name: `Spot ${b.spots.length + 1}`, ...to }],
        }));
      }}
    >
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      {board.spots.map((spot, i) => (
        <button
          key={spot.id}
          type="button"
          aria-label={`Spot ${spot.name}; drag to move`}
          title={spot.name}
          data-spot={spot.name}
          className="figures absolute h-5 w-5 -translate-x-1/2 -translate-y-1/2 cursor-grab rounded-full border border-white bg-black/60 text-xs text-white"
          style={{ left: spot.x * scale, top: spot.y * scale }}
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
            session.changeBoard(
              (b) => ({
                ...b,
                spots: b.spots.map((s) => (s.id === spot.id ? { ...s, x: s.x + move[0], y: s.y + move[1] } : s)),
              }),
              `spot.${spot.id}`,
            );
          }}
        >
          {i + 1}
        </button>
      ))}
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
          onClick={() =>
            session.changeBoard((b) => ({
              ...b,
              spots: [
                ...b.spots,
                {
                  id: crypto.randomUUID(),
                  name: `Spot ${b.spots.length + 1}`,
                  x: Math.round(stack.facts.width / 2),
                  y: Math.round(stack.facts.height / 2),
                },
              ],
            }))
          }
        >
          <Plus size={14} />
        </IconButton>
      </div>
      <ol>
        {board.spots.map((spot, i) => (
          <li key={spot.id} className="flex items-center gap-1">
            <span className="figures w-4 text-quiet">{i + 1}</span>
            <SpotName
              name={spot.name}
              onChange={(name) =>
                session.changeBoard(
                  (b) => ({ ...b, spots: b.spots.map((s) => (s.id === spot.id ? { ...s, name } : s)) }),
                  `name.${spot.id}`,
                )
              }
            />
            <IconButton
              label={`Remove spot ${spot.name}`}
              disabled={board.spots.length <= 1}
              onClick={() => session.changeBoard((b) => ({ ...b, spots: b.spots.filter((s) => s.id !== spot.id) }))}
            >
              <Trash2 size={12} />
            </IconButton>
          </li>
        ))}
      </ol>
    </section>
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
