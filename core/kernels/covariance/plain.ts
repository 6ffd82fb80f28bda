import { checkPlane } from "../plane";
import type { CovarianceKernels } from "./contract";
import { bothHalves, lagsOf } from "./contract";

export const covariancePlain: CovarianceKernels = {
  lagSums(plane, width, height, reach, step, every) {
    checkPlane(plane, width, height);
    const lags = lagsOf(reach);
    const [sums, counts] = [new Float64Array(lags.length), new Float64Array(lags.length)];
    lags.forEach(([u, v], k) => {
      const [dx, dy] = [u * step, v * step];
      const [from, to] = [Math.max(0, -dx), Math.min(width, width - dx)];
      let [sum, count] = [0, 0];
      for (let y = 0; y + dy < height && from < to; y += every) {
        const shift = dy * width + dx;
        for (let i = y * width + from; i < y * width + to; i++) {
          const product = plane[i] * plane[i + shift];
          if (product !== product) continue;
          sum += product;
          count++;
        }
      }
      [sums[k], counts[k]] = [sum, count];
    });
    return { sums: bothHalves(reach, sums), counts: bothHalves(reach, counts) };
  },
};
