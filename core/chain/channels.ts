import type { ChannelMode } from "../operations";
import type { Raster } from "../raster";
import { meanPlane, rasterOf, difference } from "../raster";

/**
 * The pictures that a step works on in a mode, and how its results go back.
 * - together: the picture itself.
 * - each: one picture a channel.
 * - luminance: L = mean of the channels; its change Δ goes to channel c as Δ · g_c with g_c = (d_c d_L + λ) / (d_L² + λ), where
 *   d is the height above the levels of the step's input (`join.levels`) and λ = (5 σ)²: where there is light the channels keep their ratio
 *   above the sky, so that a sharpened star keeps its colour and gets no coloured ring; in the noise Δ is simply added.
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
    return rasterOf(
      width,
      height,
      planes.map((plane, c) => addLight(plane, luminance, change, levels[c], level, lambda)),
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

/** Adds the change of the luminance to one channel, in its own colour where there is light. */
function addLight(
  plane: Float32Array,
  luminance: Float32Array,
  change: Float32Array,
  level: number,
  luminanceLevel: number,
  lambda: number,
): Float32Array {
  const out = new Float32Array(plane.length);
  for (let i = 0; i < out.length; i++) {
    const above = luminance[i] - luminanceLevel;
    const gain = ((plane[i] - level) * above + lambda) / (above * above + lambda);
    out[i] = plane[i] + change[i] * (gain < 0 ? 0 : gain > 4 ? 4 : gain);
  }
  return out;
}
