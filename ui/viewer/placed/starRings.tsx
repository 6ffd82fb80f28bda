"use client";

import type { Corner } from "@/core/mask";

interface Props {
  /** Places of stars that count, and of those that were left out. */
  counted: readonly Corner[];
  left: readonly Corner[];
  toScreen: (place: Corner) => Corner;
  scale: number;
  /** Called with those that are left out after a click. */
  onChange: (left: Corner[]) => void;
}

/** Radius of a ring, in px of the picture, and at least in px of the screen. */
const [RING_PX, LEAST_PX] = [6, 3];

/** Stars with rings; a click leaves one out, another takes it back. */
export function StarRings({ counted, left, toScreen, scale, onChange }: Props) {
  const radius = Math.max(LEAST_PX, RING_PX * scale);
  const ring = ([x, y]: Corner, isOut: boolean, onClick: () => void) => {
    const [u, v] = toScreen([x, y]);
    return (
      <circle
        key={`${x} ${y} ${isOut}`}
        cx={u}
        cy={v}
        r={radius}
        data-psf-star={isOut ? "out" : "in"}
        className="pointer-events-auto cursor-pointer"
        fill="transparent"
        stroke={isOut ? "#a3a3a3" : "#e0a44a"}
        strokeDasharray={isOut ? "2 3" : undefined}
        onPointerDown={(event) => event.stopPropagation()}
        onClick={(event) => {
          event.stopPropagation();
          onClick();
        }}
      >
        <title>{isOut ? "Left out; click to take it back" : "Shows the blur; click to leave it out"}</title>
      </circle>
    );
  };
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full">
      {counted.map((place) => ring(place, false, () => onChange([...left, [place[0], place[1]]])))}
      {left.map((place) => ring(place, true, () => onChange(left.filter((one) => one !== place))))}
    </svg>
  );
}
