import { mirrorIndex } from "../../raster/raster";
import { checkPsf } from "../convolution/contract";
import { checkPlane } from "../plane";
import type { FilterKernels } from "./contract";

export const filterPlain: FilterKernels = {
  filterSmall(plane, width, height, filter) {
    checkPlane(plane, width, height);
    checkPsf(filter);
    const { size, values } = filter;
    const reach = size >> 1;
    return plane.map((_, at) => {
      const [x, y] = [at % width, Math.floor(at / width)];
      let sum = 0;
      for (let j = 0, k = 0; j < size; j++)
        for (let i = 0; i < size; i++, k++) {
          const row = mirrorIndex(y + j - reach, height);
          sum = Math.fround(sum + Math.fround(values[k] * plane[row * width + mirrorIndex(x + i - reach, width)]));
        }
      return sum;
    });
  },
};
