import type { FrameUnit } from "../formats";
import { toSample } from "../formats";
import type { SubMeasures } from "../measure";
import type { Raster, Region } from "../raster";
import type { Warp } from "../register";
import { inverse, mapRow } from "../register";

/** How much light a sub must hold more than another, in starlight of the reference, to fill its saturated cores. */
const HOLDS_MORE = 1.5;
/** Pixels round a saturated one that resampling mixes with it, or that its charge spilled into. */
const SPILL_PX = 2;

interface Filled {
  /** Starlight of the reference over its own. */
  scale: number;
  unit?: FrameUnit;
  measures: Pick<SubMeasures, "background">;
}

/**
 * For each sub the sample from which on it is saturated and gives way to others that hold more light before they are full: shorter exposures, as a rule. What
 * counts is the light that fits in, brought to the reference's starlight, whatever headers say of exposure and gain. Null where no other holds half as much
 * again, or where it is not known from where on it is saturated.
 */
export function fillLevels(subs: readonly Filled[]): (number | null)[] {
  const full = subs.map(({ unit }) => (unit && unit.saturation !== null ? toSample(unit, unit.saturation) : null));
  const holds = subs.map(({ scale, measures: { background } }, i) => {
    const level = full[i];
    return level === null ? 0 : scale * (level - Math.max(...background));
  });
  const most = Math.max(0, ...holds);
  return full.map((level, i) => (level !== null && holds[i] > 0 && most > HOLDS_MORE * holds[i] ? level : null));
}

/**
 * Pixels of a tile of the reference (1) that fall within 2 px of a sample of a sub that is saturated in any channel; null for none. `part`: where the samples
 * lie in the sub.
 */
export function saturatedPixels(
  samples: Raster,
  part: Region,
  level: number,
  toReference: Warp,
  tile: Region,
): Uint8Array | null {
  const near = spilled(samples, level);
  if (!near) return null;
  const back = inverse(toReference);
  const mask = new Uint8Array(tile.width * tile.height);
  const [xs, ys] = [new Float64Array(tile.width), new Float64Array(tile.width)];
  for (let row = 0; row < tile.height; row++) {
    mapRow(back, tile.x, tile.y + row, tile.width, xs, ys);
    for (let i = 0; i < tile.width; i++) {
      const [x, y] = [Math.round(xs[i]) - part.x, Math.round(ys[i]) - part.y];
      if (x >= 0 && y >= 0 && x < part.width && y < part.height) mask[row * tile.width + i] = near[y * part.width + x];
    }
  }
  return mask;
}

/** Saturated samples and those round them; null where nothing is. */
function spilled({ planes, width, height }: Raster, level: number): Uint8Array | null {
  let out: Uint8Array | null = null;
  for (const plane of planes)
    for (let p = 0; p < plane.length; p++) {
      if (!(plane[p] >= level)) continue;
      out ??= new Uint8Array(width * height);
      const [x, y] = [p % width, Math.floor(p / width)];
      for (let v = Math.max(0, y - SPILL_PX); v <= Math.min(height - 1, y + SPILL_PX); v++)
        for (let u = Math.max(0, x - SPILL_PX); u <= Math.min(width - 1, x + SPILL_PX); u++) out[v * width + u] = 1;
    }
  return out;
}
