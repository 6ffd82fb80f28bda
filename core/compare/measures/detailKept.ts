import { cropRaster, rasterOf } from "../../raster";
import { bands } from "../evidence";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** Brighter than so many times the noise counts no more, so that stars do not decide alone. */
const MOST = 10;

/** Detail that both halves carry, and the lane still shows. */
export const detailKept: Measure = {
  id: "detail",
  label: "Detail kept",
  unit: "%",
  group: "detail",
  definition:
    "Treated half A times untouched half B over untouched A times untouched B (and the other way round), summed over starlet scales of 1 … 8 px and pixels that are below 10 σ: the share of the fine detail that both halves carry and the lane still shows; above 100 % where it is raised",
  better: "more",
  digits: 0,
  valueOf({ views: { halves, treatedHalves, noise, width, height, inside }, job }) {
    if (!halves || !treatedHalves || !noise) return null;
    const of = (plane: Float32Array) =>
      bands(plane, width, height, job).map((band) => cropRaster(rasterOf(width, height, [band]), inside).planes[0]);
    const [a, b, p, q, d] = [halves.a, halves.b, treatedHalves.a, treatedHalves.b, noise].map(of);
    let [kept, all] = [0, 0];
    a.forEach((_, j) => {
      const variance = d[j].reduce((sum, v) => sum + v * v, 0) / d[j].length;
      if (!(variance > 0)) return;
      for (let i = 0; i < a[j].length; i++) {
        const both = a[j][i] + b[j][i];
        if (both * both > 4 * MOST * MOST * variance) continue;
        kept += (p[j][i] * b[j][i] + q[j][i] * a[j][i]) / (2 * variance);
        all += (a[j][i] * b[j][i]) / variance;
      }
    });
    // Of less detail than noise nothing can be measured.
    const size = inside.width * inside.height;
    return all > 0.02 * size ? finite((100 * kept) / all) : null;
  },
};
