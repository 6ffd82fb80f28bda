import { checkPlane } from "../plane";
import type { WaveletKernels, WaveletSettings } from "./contract";
import { mirrored } from "../../raster/mirrored";
import { checkWavelets, highPass, JUDGED, waveletReach } from "./contract";

export const waveletsPlain: WaveletKernels = { waveletShrink, waveletBands };

function waveletShrink(plane: Float32Array, width: number, height: number, settings: WaveletSettings): Float32Array {
  checkPlane(plane, width, height);
  checkWavelets(settings);
  const { taps, scales, sigma, rule, thresholds } = settings;
  const { bands, low, high, pitch, inside, ...coarsest } = split(plane, width, height, taps, scales);
  let { smooth } = coarsest;
  for (let j = scales - 1; j >= 0; j--) {
    const [across, down] = [2 ** j, 2 ** j * pitch];
    const [ha, hd, both] = bands[j].map((band, k) =>
      shrunk(band, sigma[3 * j + k], thresholds[3 * j + k], rule, across, down),
    );
    const l = sum(filtered(smooth, low, -down), filtered(hd, high, -down));
    const h = sum(filtered(ha, low, -down), filtered(both, high, -down));
    smooth = sum(filtered(l, low, -across), filtered(h, high, -across));
  }
  return inside(smooth);
}

function waveletBands(
  plane: Float32Array,
  width: number,
  height: number,
  { taps, scales }: Parameters<WaveletKernels["waveletBands"]>[3],
): Float32Array[] {
  checkPlane(plane, width, height);
  const { bands, inside } = split(plane, width, height, taps, scales);
  return bands.flat().map(inside);
}

/** Coefficients of a plane with its mirrored margin. */
function split(plane: Float32Array, width: number, height: number, taps: Float64Array, scales: number) {
  const margin = waveletReach(taps.length, scales);
  const { grown, pitch } = mirrored(plane, width, height, margin);
  const [low, high] = [taps, highPass(taps)].map((filter) => filter.map((v) => v * Math.SQRT1_2));
  let smooth: Float64Array = Float64Array.from(grown);
  const bands: Float64Array[][] = [];
  for (let j = 0; j < scales; j++) {
    const [across, down] = [2 ** j, 2 ** j * pitch];
    const [l, h] = [low, high].map((filter) => filtered(smooth, filter, across));
    bands.push([filtered(h, low, down), filtered(l, high, down), filtered(h, high, down)]);
    smooth = filtered(l, low, down);
  }
  const inside = (of: Float64Array) =>
    Float32Array.from(plane, (_, i) => of[(Math.floor(i / width) + margin) * pitch + margin + (i % width)]);
  return { smooth, bands, low, high, pitch, inside };
}

/** Σ_k taps(k) · plane(i + k · stride), over the plane as one row; 0 beyond its ends. */
function filtered(plane: Float64Array, taps: Float64Array, stride: number): Float64Array {
  const out = new Float64Array(plane.length);
  taps.forEach((tap, k) => {
    const by = k * stride;
    const to = Math.min(plane.length, plane.length - by);
    for (let i = Math.max(0, -by); i < to; i++) out[i] += tap * plane[i + by];
  });
  return out;
}

const sum = (a: Float64Array, b: Float64Array): Float64Array => a.map((v, i) => v + b[i]);

function shrunk(
  band: Float64Array,
  sigma: number,
  threshold: number,
  rule: WaveletSettings["rule"],
  across: number,
  down: number,
): Float64Array {
  const soft = (c: number, t: number) => Math.sign(c) * Math.max(0, Math.abs(c) - t);
  if (rule === "hard") return band.map((c) => (Math.abs(c) > threshold ? c : 0));
  if (rule === "soft") return band.map((c) => soft(c, threshold));
  const ones = new Float64Array(2 * JUDGED + 1).fill(1 / (2 * JUDGED + 1));
  const squares = band.map((c) => c * c);
  const means = filtered(filtered(squares, ones, across), ones, down);
  const shift = JUDGED * (across + down);
  const noise = (threshold * sigma) ** 2;
  return band.map((c, i) => {
    const signal = (means[i - shift] ?? 0) - noise;
    return signal > 0 ? soft(c, noise / Math.sqrt(signal)) : 0;
  });
}
