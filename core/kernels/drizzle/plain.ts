import { blocksOf } from "../resample/contract";
import type { DrizzleKernels } from "./contract";
import { checkDrops } from "./contract";

export const drizzlePlain: DrizzleKernels = {
  drizzle(plane, places, side, weight, sums) {
    checkDrops(plane, places, side, sums);
    const { columns, rows, light, area } = sums;
    blocksOf(places).forEach((block, k) => {
      const [a, b, c, d, e, f] = places.matrices.subarray(6 * k, 6 * k + 6);
      for (let j = block.j; j < block.j + block.height; j++)
        for (let i = block.i; i < block.i + block.width; i++) {
          const value = plane[j * places.columns + i];
          const [left, top] = [a * i + b * j + c - side / 2, d * i + e * j + f - side / 2];
          if (value !== value || !(left + top < Infinity)) continue;
          const [right, bottom] = [left + side, top + side];
          // Pixel n reaches from n − ½ to n + ½.
          for (let y = Math.max(0, Math.floor(top + 0.5)); y <= Math.min(rows - 1, Math.floor(bottom + 0.5)); y++) {
            const tall = Math.min(bottom, y + 0.5) - Math.max(top, y - 0.5);
            for (
              let x = Math.max(0, Math.floor(left + 0.5));
              x <= Math.min(columns - 1, Math.floor(right + 0.5));
              x++
            ) {
              const share = weight * tall * (Math.min(right, x + 0.5) - Math.max(left, x - 0.5));
              light[y * columns + x] += share * value;
              area[y * columns + x] += share;
            }
          }
        }
    });
  },
};
