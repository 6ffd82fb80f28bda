import type { LevelsFact } from "../facts";
import { parameters, slider } from "../parameters";
import { medianInPlace } from "../raster";
import type { ChannelCurve, DisplayCurve } from "./curve";

export const stretchParameters = parameters({
  sky: slider({
    label: "Sky shown at",
    hint: "How bright the sky becomes; higher lifts faint parts and their noise.",
    min: 0.02,
    max: 0.5,
    step: 0.01,
    default: 0.14,
  }),
  black: slider({
    label: "Black below sky",
    hint: "Where black lies, in σ of the sky; lower cuts more of the dark away.",
    unit: "σ",
    min: 0,
    max: 20,
    step: 0.1,
    default: 2.5,
  }),
});
export type StretchParams = typeof stretchParameters.defaults;

/**
 * The curve that takes black to 0, white to 1 and the sky to the wanted brightness; `a` is found by bisection (the brightness of
 * a fixed t < wanted rises with a). A sky at or below black, or brighter than wanted already, gives a straight line (a → 0).
 * Source: Lupton et al. 2004, PASP 116, 133 (arcsinh).
 */
export function stretchCurves(params: StretchParams, levels: LevelsFact): (ChannelCurve & { a: number })[] {
  const blacks = levels.level.map((level, c) => level - params.black * levels.sigma[c]);
  // A sky above full scale says that full scale is wrong; the curve must rise all the same.
  const whites = blacks.map((black, c) => Math.max(levels.white, levels.level[c], black + Number.MIN_VALUE));
  const heights = levels.level.map((level, c) => (level - blacks[c]) / (whites[c] - blacks[c]));
  const curves = (a: number) => blacks.map((black, c) => arcsinhCurve(black, whites[c], a));
  const t = medianInPlace(Float64Array.from(heights));
  let low = Math.log(1e-3);
  let high = Math.log(1e9);
  if (!(t > 0) || t >= params.sky) return curves(1e-3);
  for (let round = 0; round < 60; round++) {
    const middle = (low + high) / 2;
    const a = Math.exp(middle);
    if (Math.asinh(a * t) / Math.asinh(a) < params.sky) low = middle;
    else high = middle;
  }
  return curves(Math.exp((low + high) / 2));
}

/** y = asinh(a t) / asinh(a), t = (x − black) / (white − black). */
export function arcsinhCurve(black: number, white: number, a: number): ChannelCurve & { a: number } {
  const scale = a / (white - black);
  const height = 1 / Math.asinh(a);
  return { black, white, a, shape: `arcsinh ${a}`, at: (v) => Math.asinh((v - black) * scale) * height };
}

/** Lifts the faint parts to visible brightness. */
export const arcsinh: DisplayCurve<StretchParams> = {
  id: "arcsinh",
  title: "Arcsinh",
  parameters: stretchParameters,
  words: ({ sky, black }) => `sky at ${sky}, black ${black} σ below`,
  channels: stretchCurves,
};
