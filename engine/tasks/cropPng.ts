import type { LevelsFact } from "@/core/facts";
import { writePng } from "@/core/formats";
import type { StretchParams } from "@/core/operations";
import { stretchCurves, stretched } from "@/core/operations";
import type { CropPayload } from "./crop";
import { crop } from "./crop";
import type { Task } from "./task";
import { runTask } from "./task";

/** A treated region as an 8-bit PNG, with the display stretch burnt in; none (null) for one that its chain has stretched. */
export const cropPng: Task<
  CropPayload & { stretch: { params: StretchParams; levels: LevelsFact } | null },
  Uint8Array
> = {
  owned: async ({ stretch, ...wanted }, context) => {
    const raster = await runTask(crop, wanted, context);
    const curves = stretch && stretchCurves(stretch.params, stretch.levels);
    const planes = curves
      ? raster.planes.map((plane, c) => stretched(plane, curves[Math.min(c, curves.length - 1)]))
      : raster.planes;
    return writePng({ ...raster, planes }, 8);
  },
};
