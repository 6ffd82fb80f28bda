import { writePng } from "@/core/formats";
import type { ShownBy } from "@/core/display";
import { curvesOf, throughCurves } from "@/core/display";
import type { CropPayload } from "./crop";
import { crop } from "./crop";
import type { Task } from "./task";
import { runTask } from "./task";

/** A treated region as an 8-bit PNG, with the display stretch burnt in; none (null) for one that its chain has stretched. */
export const cropPng: Task<CropPayload & { shownBy: ShownBy | null }, Uint8Array> = {
  owned: async ({ shownBy, ...wanted }, context) => {
    const raster = await runTask(crop, wanted, context);
    const planes = shownBy ? throughCurves(raster.planes, curvesOf(shownBy)) : raster.planes;
    return writePng({ ...raster, planes }, 8);
  },
};
