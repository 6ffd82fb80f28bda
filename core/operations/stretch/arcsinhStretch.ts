import { z } from "zod";
import type { Raster } from "../../raster";
import { medianInPlace, robustSpread } from "../../raster";
import type { Operation } from "../operation";

export const stretchParams = z.object({
  /** Display brightness of the sky. */
  sky: z.number().min(0.02).max(0.5).default(0.14),
  /** σ below the sky that become black. */
  black: z.number().min(0).max(20).default(2.5),
});
export type StretchParams = z.infer<typeof stretchParams>;

/** Sky level and its robust spread, by channel, and the level that becomes white: full scale. What the stretch is fitted to. */
export const stretchContext = z.object({
  level: z.array(z.number()),
  sigma: z.array(z.number()),
  white: z.number().default(1),
});
export type StretchContext = z.infer<typeof stretchContext>;

/** One channel's curve: y = asinh(a t) / asinh(a), t = (x − black) / (white − black). */
export interface StretchCurve {
  black: number;
  white: number;
  a: number;
}

/**
 * The curve that takes black to 0, white to 1 and the sky to the wanted brightness; `a` is found by bisection (the brightness of
 * a fixed t < wanted rises with a). A sky at or below black, or brighter than wanted already, gives a straight line (a → 0).
 * Source: Lupton et al. 2004, PASP 116, 133 (arcsinh).
 */
export function stretchCurves(params: StretchParams, context: StretchContext): StretchCurve[] {
  const blacks = context.level.map((level, c) => level - params.black * context.sigma[c]);
  // A sky above full scale says that full scale is wrong; the curve must rise all the same.
  const whites = blacks.map((black, c) => Math.max(context.white, context.level[c], black + Number.MIN_VALUE));
  const heights = context.level.map((level, c) => (level - blacks[c]) / (whites[c] - blacks[c]));
  const curves = (a: number): StretchCurve[] => blacks.map((black, c) => ({ black, white: whites[c], a }));
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

/** The median over samples of their median and robust σ, by channel; `white` is the picture's full scale in its samples. */
export function stretchContextOf(samples: Raster[], white: number): StretchContext {
  const channels = samples[0].channels;
  const spreads = samples.map((piece) => piece.planes.map((plane) => robustSpread(plane)));
  // Pieces without data tell nothing.
  const over = (value: (piece: number, c: number) => number) =>
    Array.from({ length: channels }, (_, c) => {
      const known = spreads.map((_s, piece) => value(piece, c)).filter(Number.isFinite);
      return known.length > 0 ? medianInPlace(Float64Array.from(known)) : 0;
    });
  return {
    level: over((piece, c) => spreads[piece][c].centre),
    sigma: over((piece, c) => spreads[piece][c].sigma),
    white,
  };
}

/** Lifts the faint parts to visible brightness; what a person sees of linear data. */
export const arcsinhStretch: Operation<StretchParams, StretchContext> = {
  id: "stretch.arcsinh",
  version: 1,
  title: "Arcsinh stretch",
  short: "Arcsinh",
  summary: "Lifts the faint parts into view and keeps the bright ones from burning out.",
  group: "stretch",
  domain: "linear",
  params: stretchParams,
  fields: [
    {
      kind: "number",
      name: "sky",
      label: "Sky brightness",
      hint: "How bright the sky becomes; higher lifts faint parts and their noise.",
      unit: "",
      min: 0.02,
      max: 0.5,
      step: 0.01,
    },
    {
      kind: "number",
      name: "black",
      label: "Black below sky",
      hint: "Where black lies, in σ of the sky; lower cuts more of the dark away.",
      unit: "σ",
      min: 0,
      max: 20,
      step: 0.1,
    },
  ],
  strength: "sky",
  channels: ["together"],
  cropBound: 1e-5,
  context: stretchContext,
  halo: () => 0,
  noiseOf: () => null,
  withNoise: (context) => context,
  contextDependsOn: () => null,
  prepare: async (_, look) => stretchContextOf(await look.samples(), look.fullScale),
  run(region, params, context) {
    const curves = stretchCurves(params, context);
    return { ...region, planes: region.planes.map((plane, c) => stretched(plane, curves[c])) };
  },
};

/** A plane through its curve. */
export function stretched(plane: Float32Array, { black, white, a }: StretchCurve): Float32Array {
  const scale = a / (white - black);
  const height = 1 / Math.asinh(a);
  return plane.map((v) => Math.asinh((v - black) * scale) * height);
}
