import { fitsSamples } from "@/core/formats";
import type { JoinPart, PlacedPart } from "@/core/join";
import { joinRegion } from "@/core/join";
import type { Region } from "@/core/raster";
import type { FrameRef } from "../frames";
import type { Task } from "./task";

export interface JoinPayload {
  /** Red, green, blue, and the luminance where there is one. */
  parts: readonly { frame: FrameRef; part: JoinPart }[];
  grid: { width: number; height: number };
  region: Region;
}

/** Rows of a joined picture as float FITS samples, by plane. */
export const joinStrip: Task<JoinPayload, Uint8Array[]> = {
  owned: async ({ parts, grid, region }, context) => {
    const placed: PlacedPart[] = [];
    for (const { frame, part } of parts) placed.push({ source: await context.frames.open(frame), part });
    const [red, green, blue, luminance] = placed;
    const joined = await joinRegion([red, green, blue], luminance ?? null, grid, region, context.job.kernels);
    return joined.planes.map((plane) => fitsSamples(plane, "float32"));
  },
};
