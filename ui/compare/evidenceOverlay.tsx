"use client";

import { useLayoutEffect, useRef } from "react";
import type { Spot, StarStanding, Support } from "@/core/compare";
import type { Warp } from "@/core/register";
import { inverse, mapPoint } from "@/core/register";
import type { Treatment } from "@/engine/tasks/crop";
import type { StackRecord, View } from "@/storage";
import { useDesk } from "./desk";
import type { CellView } from "./geometry";
import { cellPlaces } from "./geometry";
import { CROP_REST_MS, useEvidence } from "./useEvidence";

interface Props {
  stack: StackRecord;
  treatment: Treatment;
  spot: Spot;
  toPicture: Warp;
  view: View;
  seen: CellView;
}

/** From where a map shows, in σ, and where it is at its strongest. */
const [FAINT, STRONG] = [2.5, 6];
const MOST_OPAQUE = 0.8;
export const UNSUPPORTED_COLOUR = "#e0735c";
export const LOST_COLOUR = "#5fb0e0";

/** How a star is marked: its ring's colour and dashes. */
export const STAR_MARKS: Record<StarStanding, { stroke: string; dashes?: string }> = {
  kept: { stroke: "#a3a3a3" },
  doubtful: { stroke: "#e0a44a", dashes: "3 2" },
  notInData: { stroke: UNSUPPORTED_COLOUR },
  lost: { stroke: LOST_COLOUR, dashes: "3 2" },
};

/** Where the lane shows light that the data do not carry, and lacks light that they do; its stars with their support. */
export function EvidenceOverlay({ stack, treatment, spot, toPicture, view, seen }: Props) {
  const shown = useDesk((desk) => desk.evidence);
  const { support } = useEvidence(treatment, stack, spot, view, toPicture, CROP_REST_MS);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { unsupported, lost } = shown;
  useLayoutEffect(() => {
    if (canvas.current && support) paintMaps(canvas.current, support, { unsupported, lost });
  }, [support, unsupported, lost]);
  if (!support) return null;
  const { region } = support;
  const { left, top, scale, onto } = seen;
  const { toCell } = cellPlaces(seen, toPicture);
  const toProject = inverse(toPicture);
  const place = { left: (region.x - left) * scale, top: (region.y - top) * scale };
  const size = { width: region.width * scale, height: region.height * scale };
  return (
    <>
      <canvas
        ref={canvas}
        data-evidence-shown
        className="pixels pointer-events-none absolute"
        // On a grid of another scale or turn the maps' pixels have no place of their own; the stars have.
        style={onto ? { display: "none" } : { ...place, ...size }}
      />
      <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden>
        {onto ? null : (
          <rect {...{ x: place.left, y: place.top }} {...size} fill="none" stroke="#a3a3a3" strokeDasharray="2 6" />
        )}
        {shown.stars
          ? support.stars.map((star) => {
              const [u, v] = toCell([...mapPoint(toProject, star.x, star.y)]);
              const { stroke, dashes } = STAR_MARKS[star.standing];
              return (
                <circle
                  key={`${star.x} ${star.y}`}
                  data-star={star.standing}
                  cx={u}
                  cy={v}
                  r={Math.max(4, 5 * scale)}
                  fill="none"
                  stroke={stroke}
                  strokeWidth={star.standing === "kept" ? 0.75 : 1.5}
                  strokeDasharray={dashes}
                />
              );
            })
          : null}
      </svg>
    </>
  );
}

function paintMaps(
  canvas: HTMLCanvasElement,
  { region, unsupported, lost }: Support,
  shown: { unsupported: boolean; lost: boolean },
): void {
  canvas.width = region.width;
  canvas.height = region.height;
  const context = canvas.getContext("2d");
  if (!context) return;
  const image = context.createImageData(region.width, region.height);
  const layers = [
    { map: unsupported, colour: rgb(UNSUPPORTED_COLOUR), isShown: shown.unsupported },
    { map: lost, colour: rgb(LOST_COLOUR), isShown: shown.lost },
  ];
  for (const { map, colour, isShown } of layers) {
    if (!isShown) continue;
    for (let i = 0; i < map.length; i++) {
      const share = Math.min(1, (map[i] - FAINT) / (STRONG - FAINT));
      if (share > 0) image.data.set([...colour, 255 * MOST_OPAQUE * share], 4 * i);
    }
  }
  context.putImageData(image, 0, 0);
}

const rgb = (hex: string): number[] => [1, 3, 5].map((at) => parseInt(hex.slice(at, at + 2), 16));
