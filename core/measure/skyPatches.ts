import { smoothed } from "./smoothed";
import type { Kernels } from "../kernels";
import type { Raster } from "../raster";
import { meanAndDeviation, meanPlane } from "../raster";
import type { SkyPatch } from "./patches";

const SIDE = 48;
const LEAST_SIDE = 16;
const WANTED = 6;
/** Of all places the share of least structure, among which the darkest are taken. */
const QUIET_SHARE = 1 / 4;
/** Smoothings after which what varies is stars and structure rather than noise. */
const SMOOTHINGS = 2;

/**
 * Squares without stars, as flat and as dark as the pieces of a picture have them, far from one another: of all squares the quarter whose smoothed pixels vary least, and of these the
 * darkest, none nearer to another than a sixth of the picture's width where it can be. `gaps` marks pixels (1) that must not lie in one. None for a picture smaller than 16 px. Own.
 */
export function findSkyPatches(
  pieces: readonly { raster: Raster; x: number; y: number; gaps: Uint8Array | null }[],
  kernels: Kernels,
): SkyPatch[] {
  const shortest = Math.min(...pieces.flatMap(({ raster }) => [raster.width, raster.height]));
  const side = Math.min(SIDE, Math.max(LEAST_SIDE, 2 * Math.floor(shortest / 16)));
  const places: { x: number; y: number; level: number; structure: number }[] = [];
  for (const { raster, x: left, y: top, gaps } of pieces) {
    const { width, height } = raster;
    const smooth = smoothed(meanPlane(raster), width, height, SMOOTHINGS, kernels);
    const inside = new Float32Array(side * side);
    for (let y = 0; y + side <= height; y += side >> 1)
      for (let x = 0; x + side <= width; x += side >> 1) {
        let isWhole = true;
        for (let k = 0; k < inside.length; k++) {
          const i = (y + Math.floor(k / side)) * width + x + (k % side);
          inside[k] = smooth[i];
          if (gaps?.[i] === 1) isWhole = false;
        }
        if (!isWhole) continue;
        const { mean, sigma } = meanAndDeviation(inside);
        places.push({ x: left + x + side / 2, y: top + y + side / 2, level: mean, structure: sigma });
      }
  }
  places.sort((a, b) => a.structure - b.structure);
  const quiet = places.slice(0, Math.max(WANTED, Math.round(QUIET_SHARE * places.length)));
  quiet.sort((a, b) => a.level - b.level);
  const across = Math.max(...places.map(({ x }) => x)) - Math.min(...places.map(({ x }) => x)) + side;
  const chosen: SkyPatch[] = [];
  for (const apart of [across / 6, side])
    for (const { x, y } of quiet) {
      if (chosen.length >= WANTED) break;
      if (chosen.every((one) => Math.max(Math.abs(one.x - x), Math.abs(one.y - y)) >= apart))
        chosen.push({ id: `sky ${chosen.length + 1}`, x, y, side });
    }
  return chosen;
}
