"use client";

import type { Corner } from "@/core/mask";
import { useMoved } from "./useMoved";

interface Props {
  /** What the points are called, such as "Sample point". */
  label: string;
  points: readonly Corner[];
  toScreen: (place: Corner) => Corner;
  scale: number;
  /** Of the picture to which they belong: they do not leave it. */
  size: { width: number; height: number };
  onChange: (points: Corner[]) => void;
}

/** Points on a picture: dragged or moved by arrow keys; Delete or a double click removes one. */
export function PointsOverlay({ points, onChange, ...view }: Props) {
  return (
    <>
      {points.map((point, i) => (
        <Point
          key={i}
          {...view}
          point={point}
          number={i + 1}
          onMove={(to) => onChange(points.map((other, k) => (k === i ? to : other)))}
          onRemove={() => onChange(points.filter((_, k) => k !== i))}
        />
      ))}
    </>
  );
}

interface PointProps extends Pick<Props, "label" | "toScreen" | "scale" | "size"> {
  point: Corner;
  number: number;
  onMove: (to: Corner) => void;
  onRemove: () => void;
}

/** Px of the screen from its middle to its ends. */
const ARM = 6;

function Point({ label, point, number, toScreen, scale, size, onMove, onRemove }: PointProps) {
  const { place, handlers } = useMoved({
    at: { x: point[0], y: point[1] },
    scale,
    size,
    steps: [1, 10],
    onMove: ({ x, y }) => onMove([x, y]),
    onRemove,
  });
  const [left, top] = toScreen([place.x, place.y]);
  return (
    <div
      role="button"
      tabIndex={0}
      aria-label={`${label} ${number}`}
      data-help="Drag or arrow keys move it; Delete or a double click removes it"
      className="group absolute cursor-move outline-none"
      style={{ left: left - ARM, top: top - ARM, width: 2 * ARM, height: 2 * ARM }}
      {...handlers}
    >
      <svg
        viewBox={`${-ARM} ${-ARM} ${2 * ARM} ${2 * ARM}`}
        className="text-[#c8c8c8] group-focus:text-accent"
        aria-hidden
      >
        <path d={`M 0 ${-ARM} V -2 M 0 2 V ${ARM} M ${-ARM} 0 H -2 M 2 0 H ${ARM}`} stroke="currentColor" fill="none" />
      </svg>
    </div>
  );
}
