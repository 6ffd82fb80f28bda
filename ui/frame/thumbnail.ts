import { curvesOf, DEFAULT_DISPLAY } from "@/core/display";
import { wholeRegion } from "@/core/raster";
import { PRIORITY } from "@/engine/pool";
import type { ProjectSession } from "@/state/project";
import type { StackRecord } from "@/storage";
import { paint } from "../viewer/usePainted";

const WIDTH = 280;

/** A small picture of a stack for the shelf, as a data URL. */
export async function thumbnailOf(session: ProjectSession, stack: StackRecord): Promise<string> {
  const subject = await session.stacks.subjectOf(stack);
  const { width, height, stretch } = stack.facts;
  const reduce = Math.max(1, Math.floor(width / WIDTH));
  const treatment = { ...subject, steps: [], facts: [] };
  const payload = { treatment, region: wholeRegion({ width, height }), reduce };
  const raster = await session.pool.run("crop", payload, { priority: PRIORITY.measure });
  const canvas = document.createElement("canvas");
  paint(canvas, raster, curvesOf({ display: DEFAULT_DISPLAY, levels: stretch }));
  return canvas.toDataURL("image/jpeg", 0.85);
}
