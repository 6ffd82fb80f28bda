"use client";

import type { SkyPatch } from "@/core/measure";
import { useMoved } from "./useMoved";

interface Props {
  patches: SkyPatch[];
  /** What stands under each patch. */
  captions: string[];
  toScreen: (x: number, y: number) => [number, number];
  scale: number;
  size: { width: number; height: number };
  onChange: (patches: SkyPatch[]) => void;
}

/** Patches of empty sky, marked by the ticks of their corners: dragged to where they shall be, a caption beneath; a double click removes one. */
export function PatchOverlay({ patches, captions, onChange, ...view }: Props) {
  return (
    <>
      {patches.map((patch, i) => (
        <Patch
          key={patch.id}
          {...view}
          patch={patch}
          number={i + 1}
          caption={captions[i] ?? ""}
          onMove={(at) => onChange(patches.map((other) => (other.id === patch.id ? { ...patch, ...at } : other)))}
          onRemove={() => onChange(patches.filter(({ id }) => id !== patch.id))}
        />
      ))}
    </>
  );
}

interface PatchProps extends Pick<Props, "toScreen" | "scale" | "size"> {
  patch: SkyPatch;
  number: number;
  caption: string;
  onMove: (at: { x: number; y: number }) => void;
  onRemove: () => void;
}

function Patch({ patch, number, caption, toScreen, scale, size, onMove, onRemove }: PatchProps) {
  const { place, handlers } = useMoved({
    at: patch,
    scale,
    size,
    steps: [4, 20],
    onMove: ({ x, y }) => onMove({ x: Math.round(x), y: Math.round(y) }),
    onRemove,
  });
  const [x, y] = toScreen(place.x, place.y);
  const side = Math.max(8, patch.side * scale);
  return (
    <div
      role="button"
      tabIndex={0}
      aria-label={`Sky patch ${number}`}
      data-help="Drag to a place without stars; arrow keys move it; a double click removes it"
      className="group absolute cursor-move outline-none"
      style={{ left: x - side / 2, top: y - side / 2, width: side, height: side }}
      {...handlers}
    >
      {CORNERS.map((corner) => (
        <span
          key={corner}
          className={`pointer-events-none absolute h-1.5 w-1.5 border-[#c8c8c8] group-focus:border-accent ${corner}`}
        />
      ))}
      <span className="figures absolute top-full left-1/2 mt-0.5 -translate-x-1/2 text-xs whitespace-nowrap text-[#c8c8c8] [text-shadow:0_0_3px_#000]">
        {caption}
      </span>
    </div>
  );
}

/** A tick at each corner. */
const CORNERS = [
  "top-0 left-0 border-t border-l",
  "top-0 right-0 border-t border-r",
  "bottom-0 left-0 border-b border-l",
  "right-0 bottom-0 border-r border-b",
];

interface Size {
  width: number;
  height: number;
}

const sideFor = ({ width, height }: Size): number => Math.max(16, Math.round(Math.min(width, height) / 14));

export const middlePatch = (size: Size): SkyPatch => ({
  id: crypto.randomUUID(),
  x: Math.round(size.width / 2),
  y: Math.round(size.height / 2),
  side: sideFor(size),
});

/** Patches near the four corners, where none were placed yet. */
export function firstPatches(size: Size): SkyPatch[] {
  const { width, height } = size;
  const side = sideFor(size);
  return [
    [0.12, 0.14],
    [0.88, 0.14],
    [0.12, 0.86],
    [0.88, 0.86],
  ].map(([u, v]) => ({ id: crypto.randomUUID(), x: Math.round(u * width), y: Math.round(v * height), side }));
}
