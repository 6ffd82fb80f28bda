import type { ChannelMode } from "../operations";
import type { Kernels } from "../kernels";
import type { Raster } from "../raster";
import { difference, meanPlane, rasterOf } from "../raster";

/**
 * The pictures that a step works on in a mode, and how its results go back.
 * - together: the picture itself.
 * - each: one picture a channel.
 * - luminance: L = mean of the channels; its change Δ goes to channel c as Δ · g_c with g_c = (d_c d_L + λ h_c) / (d_L² + λ), where d is the height above the darkest light around (`around`, lightAround),
 *   λ = (5 σ)², and h_c the same of that darkest light above the levels of the step's input (`join.levels`), with 1 for h: a star keeps its colour whatever it stands on, what is faint takes that of the light around, and in the sky's noise Δ is simply added.
 * - chrominance: the channels less L, as one picture; L stays.
 * A picture of one channel is the same in every mode but chrominance, where there is nothing to do.
 */
export function splitForMode(raster: Raster, mode: ChannelMode): Raster[] {
  const { width, height, planes, channels } = raster;
  if (mode === "each") return planes.map((plane) => rasterOf(width, height, [plane]));
  if (channels === 1) return mode === "chrominance" ? [] : [raster];
  if (mode === "together") return [raster];
  const luminance = meanPlane(raster);
  if (mode === "luminance") return [rasterOf(width, height, [luminance])];
  return [
    rasterOf(
      width,
      height,
      planes.map((plane) => difference(plane, luminance)),
    ),
  ];
}

export function joinFromMode(
  original: Raster,
  results: Raster[],
  mode: ChannelMode,
  join: { levels: number[]; sigma: number } | null,
  around: readonly Float32Array[] | null = null,
): Raster {
  const { width, height, planes, channels } = original;
  if (results.length === 0) return original;
  if (mode === "each")
    return rasterOf(
      width,
      height,
      results.map((result) => result.planes[0]),
    );
  if (mode === "together" || channels === 1) return results[0];
  const luminance = meanPlane(original);
  if (mode === "luminance") {
    const change = difference(results[0].planes[0], luminance);
    if (!join) throw new RangeError("a luminance step must know the levels of its input");
    const { levels } = join;
    const level = levels.reduce((a, b) => a + b, 0) / levels.length;
    const lambda = (5 * join.sigma) ** 2 + Number.MIN_VALUE;
    const below = around ?? planes.map((plane, c) => new Float32Array(plane.length).fill(levels[c]));
    const lightBelow = meanPlane(rasterOf(width, height, [...below]));
    const light = { luminance, change, lightBelow, level, lambda };
    return rasterOf(
      width,
      height,
      planes.map((plane, c) => addLight(plane, below[c], levels[c], light)),
    );
  }
  return rasterOf(
    width,
    height,
    results[0].planes.map((plane) => sum(plane, luminance)),
  );
}

function sum(a: Float32Array, b: Float32Array): Float32Array {
  const out = new Float32Array(a.length);
  for (let i = 0; i < out.length; i++) out[i] = a[i] + b[i];
  return out;
}

/** How far the darkest light around is looked for, in px; it is looked for in planes smoothed by these starlet scales, and smoothed by those. */
const DARK_REACH = 12;
const [SCALES_BEFORE, SCALES_AFTER]: readonly (readonly number[])[] = [
  [0, 1],
  [1, 2],
];
/** Pixels of surroundings that a luminance step's joining needs. */
export const JOIN_HALO =
  DARK_REACH + [...SCALES_BEFORE, ...SCALES_AFTER].reduce((sum, scale) => sum + 2 ** (scale + 1), 0);

/** The darkest light within 12 px of each pixel, by channel, even by some px: what stars and small things stand on. */
export function lightAround({ width, height, planes }: Raster, kernels: Kernels): Float32Array[] {
  const smooth = (plane: Float32Array, scales: readonly number[]) =>
    scales.reduce((smoother, scale) => kernels.starletSmooth(smoother, width, height, scale), plane);
  return planes.map((plane) =>
    smooth(kernels.leastAround(smooth(plane, SCALES_BEFORE), width, height, DARK_REACH), SCALES_AFTER),
  );
}

interface ChangedLight {
  luminance: Float32Array;
  change: Float32Array;
  /** The luminance around, and the sky's. */
  lightBelow: Float32Array;
  level: number;
  lambda: number;
}

/** Adds the change of the luminance to one channel, in its own colour where there is light. */
function addLight(
  plane: Float32Array,
  below: Float32Array,
  sky: number,
  { luminance, change, lightBelow, level, lambda }: ChangedLight,
): Float32Array {
  const out = new Float32Array(plane.length);
  const ratio = (of: number, above: number, fallback: number) => {
    const height = above > 0 ? above : 0;
    const gain = (of * height + lambda * fallback) / (height * height + lambda);
    return gain < 0 ? 0 : gain > 4 ? 4 : gain;
  };
  for (let i = 0; i < out.length; i++) {
    const around = ratio(below[i] - sky, lightBelow[i] - level, 1);
    out[i] = plane[i] + change[i] * ratio(plane[i] - below[i], luminance[i] - lightBelow[i], around);
  }
  return out;
}
