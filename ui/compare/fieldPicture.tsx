"use client";

import type { PsfField } from "@/core/measure";
import { shapeAt } from "@/core/measure";

/** Width of the figure in px, and places that are drawn along the longer side of the picture. */
const [WIDTH, ALONG] = [150, 7];
/** Of a place's room the widest star takes so much. */
const FILLS = 0.85;

interface Props {
  field: PsfField;
  beta: number;
  /** Of the picture, in its px. */
  size: { width: number; height: number };
}

/** How stars look over the picture: at each place of a grid a half-maximum ellipse, enlarged alike; the more drawn out, the brighter, since so much is there to be made round. */
export function FieldPicture({ field, beta, size }: Props) {
  const step = Math.max(size.width, size.height) / ALONG;
  const [columns, rows] = [size.width, size.height].map((length) => Math.max(1, Math.round(length / step)));
  const places = Array.from({ length: columns * rows }, (_, k) => {
    const [x, y] = [((k % columns) + 0.5) / columns, (Math.floor(k / columns) + 0.5) / rows];
    const shape = shapeAt(field, beta, x * size.width, y * size.height);
    return { x: x * size.width, y: y * size.height, ...shape, longer: shape.fwhmMajor / shape.fwhmMinor };
  });
  const widest = Math.max(...places.map(({ fwhmMajor }) => fwhmMajor));
  const longest = Math.max(...places.map(({ longer }) => longer));
  const enlarged = (FILLS * step) / widest / 2;
  const label = `Stars over the picture: long over short axis ${Math.min(...places.map(({ longer }) => longer)).toFixed(2)} … ${longest.toFixed(2)}`;
  return (
    <svg
      width={WIDTH}
      viewBox={`0 0 ${size.width} ${size.height}`}
      className="my-1 block border border-line"
      role="img"
      aria-label={label}
      data-testid="field-picture"
    >
      <title>{label}. Each is enlarged alike; what is drawn out most is brightest.</title>
      {places.map(({ x, y, fwhmMajor, fwhmMinor, angle, longer }) => (
        <ellipse
          key={`${x} ${y}`}
          rx={enlarged * fwhmMajor}
          ry={enlarged * fwhmMinor}
          transform={`translate(${x} ${y}) rotate(${(180 * angle) / Math.PI})`}
          fill="none"
          stroke="#e8e8e8"
          strokeWidth={step / 25}
          strokeOpacity={longest > 1 ? 0.35 + (0.65 * (longer - 1)) / (longest - 1) : 0.35}
        />
      ))}
    </svg>
  );
}
