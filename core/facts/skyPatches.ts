import * as z from "zod";
import { findSkyPatches, skyPatch } from "../measure";
import type { Fact } from "./fact";

const schema = z.array(skyPatch);

/** Squares of sky from which noise can be measured (measure/skyPatches.ts). */
export const skyPatches: Fact<z.infer<typeof schema>> = {
  id: "skyPatches",
  title: "star-free patches of sky",
  schema,
  async measure(input, job) {
    const [samples, gaps] = [await input.samples(), await input.gaps()];
    const pieces = samples.map((raster, k) => ({
      raster,
      gaps: gaps[k],
      x: input.places[k].x,
      y: input.places[k].y,
    }));
    return findSkyPatches(pieces, job.kernels);
  },
  noisier: (value) => value,
};
