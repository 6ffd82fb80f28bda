"use client";

import { extent } from "d3-array";
import { scaleLinear } from "d3-scale";
import { useMemo, useRef } from "react";
import type { SubRecord } from "@/storage";
import { useSize } from "../viewer/useSize";

const HEIGHT = 96;
const MARGIN = { left: 44, right: 12, top: 10, bottom: 18 };

/** FWHM of every sub in the order they came, as points to choose from. */
export function MeasureStrip({
  subs,
  currentId,
  onSelect,
}: {
  subs: SubRecord[];
  currentId: string | null;
  onSelect: (id: string) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const { width } = useSize(box);
  const { x, y, ticks } = useMemo(() => {
    const values = subs.flatMap((sub) => sub.measures.fwhmPx ?? []);
    const [low = 0, high = 1] = extent(values);
    const across = scaleLinear(
      [0, Math.max(1, subs.length - 1)],
      [MARGIN.left, Math.max(MARGIN.left + 1, width - MARGIN.right)],
    );
    const down = scaleLinear([low, high === low ? low + 1 : high], [HEIGHT - MARGIN.bottom, MARGIN.top]).nice(3);
    return { x: across, y: down, ticks: down.ticks(3) };
  }, [subs, width]);
  return (
    <div
      ref={box}
      className="shrink-0 border-t border-line bg-panel"
      style={{ height: HEIGHT }}
      data-help="FWHM of every sub; click a point to see it"
    >
      <svg width={width} height={HEIGHT} role="img" aria-label="FWHM of every sub in px">
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={MARGIN.left} x2={width - MARGIN.right} y1={y(tick)} y2={y(tick)} stroke="#2b2b2b" />
            <text x={MARGIN.left - 6} y={y(tick) + 4} textAnchor="end" fill="#a3a3a3" fontSize={11} className="figures">
              {tick}
            </text>
          </g>
        ))}
        <text x={MARGIN.left} y={HEIGHT - 4} fill="#a3a3a3" fontSize={11}>
          FWHM, px, in the order of import
        </text>
        {subs.map((sub, i) =>
          sub.measures.fwhmPx === null ? null : (
            <circle
              key={sub.id}
              cx={x(i)}
              cy={y(sub.measures.fwhmPx)}
              r={sub.id === currentId ? 5 : 3.5}
              fill={sub.included ? "#e8e8e8" : "none"}
              stroke={sub.id === currentId ? "#e0a44a" : sub.included ? "none" : "#a3a3a3"}
              strokeWidth={sub.id === currentId ? 2 : 1}
              className="cursor-pointer"
              onClick={() => onSelect(sub.id)}
            >
              <title>{`${sub.name}: ${sub.measures.fwhmPx.toFixed(2)} px`}</title>
            </circle>
          ),
        )}
      </svg>
    </div>
  );
}
