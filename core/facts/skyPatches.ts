import * as z from "zod";
import { findSkyPatches, skyPatch } from "../measure";
import type { Fact } from "./fact";

const schema = z.array(skyPatch);

/** Squares of sky from which noise can be told (measure/skyPatches.ts). */
export const skyPatches: Fact<z.infer<typeof schema>> = {
  id: "skyPatches",
  title: "star-free patches of sky",
  schema,
  async measure(look, job) {
    const [samples, gaps] = [await look.samples(), await look.gaps()];
    const pieces = samples.map((raster, k) => ({
      raster,
      gaps: gaps[k],
      x: look.places[k].x,
      y: look.places[k].y,
    }));
    return findSkyPatches(pieces, job.kernels);
  },
  noisier: (value) => value,
};
