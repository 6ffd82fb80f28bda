import { stretchCurves, stretchParameters } from "@/core/operations";
import { wholeRegion } from "@/core/raster";
import { PRIORITY } from "@/engine/pool";
import type { ProjectSession } from "@/state/project";
import type { StackRecord } from "@/storage";
import { toImageData } from "../viewer/display";

const WIDTH = 280;

/** A small picture of a stack for the shelf, as a data URL. */
export async function thumbnailOf(session: ProjectSession, stack: StackRecord): Promise<string> {
  const subject = await session.stacks.subjectOf(stack);
  const { width, height, stretch } = stack.facts;
  const reduce = Math.max(1, Math.floor(width / WIDTH));
  const treatment = { ...subject, steps: [], facts: [] };
  const payload = { treatment, region: wholeRegion({ width, height }), reduce };
  const raster = await session.pool.run("crop", payload, { priority: PRIORITY.measure });
  const image = toImageData(raster, stretchCurves(stretchParameters.defaults, stretch));
  const canvas = document.createElement("canvas");
  canvas.width = image.width;
  canvas.height = image.height;
  canvas.getContext("2d")?.putImageData(image, 0, 0);
  return canvas.toDataURL("image/jpeg", 0.85);
}
