import { z } from "zod";
import type { Kernels, Psf } from "../../kernels";
import { findStars, roundPsf, starShape, whiteNoise } from "../../measure";
import type { Raster } from "../../raster";
import { cropRaster, meanPlane, medianInPlace, mirrorIndex, robustSpread } from "../../raster";
import type { Operation } from "../operation";

const params = z.object({
  iterations: z.number().int().min(1).max(100).default(20),
  psf: z.enum(["measured", "typed"]).default("measured"),
  /** Width of the PSF as a share of the stars' FWHM. */
  share: z.number().min(0.5).max(1.2).default(0.85),
  fwhmPx: z.number().min(0.8).max(12).default(3),
  protectBackground: z.number().min(0).max(1).default(0.7),
  protectStars: z.number().min(0).max(1).default(0.8),
});
const context = z.object({
  /** The PSF measured from the picture's stars; null where none could be fitted. */
  fwhmPx: z.number().nullable(),
  beta: z.number(),
  /** By channel: level and σ per pixel of the darkest tenth of the picture, and its brightest value. */
  sky: z.array(z.number()),
  sigma: z.array(z.number()),
  brightest: z.array(z.number()),
});
type Params = z.infer<typeof params>;
type Context = z.infer<typeof context>;

const FALLBACK_BETA = 3;
/** Samples this many σ below the sky are cut off before deconvolution, which needs positive data. */
const PEDESTAL_SIGMA = 2;

function psfOf(p: Params, c: Context): Psf {
  const fwhm = p.psf === "typed" ? p.fwhmPx : (c.fwhmPx ?? p.fwhmPx) * p.share;
  return roundPsf(fwhm, Math.min(6, Math.max(2, c.beta)), Math.ceil(3.2 * fwhm));
}

/**
 * Richardson–Lucy deconvolution with a Moffat PSF, a little narrower than the picture's own stars (a PSF that is too wide
 * makes rings; common practice) or of a typed FWHM. The sky less 2 σ is taken
 * off first, so that positivity keeps rings around stars from reaching far below the sky. Background (what a PSF-wide mean
 * does not lift above its noise) and the neighbourhood of the brightest stars can be kept as they were.
 * Source: Richardson 1972, JOSA 62, 55; Lucy 1974, AJ 79, 745.
 */
export const richardsonLucy: Operation<Params, Context> = {
  id: "deconvolve.richardson-lucy",
  version: 1,
  title: "Richardson–Lucy deconvolution",
  short: "Richardson–Lucy",
  summary: "Takes the blur of the air and the optics back, a little more with each iteration.",
  group: "deconvolve",
  domain: "linear",
  params,
  fields: [
    {
      kind: "number",
      name: "iterations",
      label: "Iterations",
      hint: "Each further one narrows stars and crisps edges, and raises noise and rings.",
      unit: "",
      min: 1,
      max: 100,
      step: 1,
    },
    {
      kind: "choice",
      name: "psf",
      label: "Blur",
      hint: "The point-spread function that is taken back.",
      options: [
        { value: "measured", label: "as the stars show it" },
        { value: "typed", label: "of a typed FWHM" },
      ],
    },
    {
      kind: "number",
      name: "share",
      label: "Share of it",
      hint: "How much of the stars' width is taken back. Towards 1 dark rings appear around stars.",
      unit: "× FWHM",
      min: 0.5,
      max: 1.2,
      step: 0.01,
      when: { name: "psf", is: "measured" },
    },
    {
      kind: "number",
      name: "fwhmPx",
      label: "FWHM",
      hint: "Wider takes more blur back; wider than the stars makes rings.",
      unit: "px",
      min: 0.8,
      max: 12,
      step: 0.05,
      when: { name: "psf", is: "typed" },
    },
    {
      kind: "number",
      name: "protectBackground",
      label: "Protect background",
      hint: "Leaves the dark sky as it is, so that its noise is not sharpened.",
      unit: "",
      min: 0,
      max: 1,
      step: 0.01,
    },
    {
      kind: "number",
      name: "protectStars",
      label: "Protect bright stars",
      hint: "Leaves the brightest stars as they are, which would ring.",
      unit: "",
      min: 0,
      max: 1,
      step: 0.01,
    },
  ],
  strength: "iterations",
  channels: ["luminance", "each"],
  // The influence of a pixel dies out with distance but never ends: at two PSF radii 60 iterations differ by 1.2e-6.
  cropBound: 1e-5,
  context,
  halo: (p, c) => 2 * ((psfOf(p, c).size - 1) / 2),
  noiseOf: ({ sigma }) => sigma,
  withNoise: (c, factor) => ({ ...c, sigma: c.sigma.map((v) => v * factor) }),
  contextDependsOn: () => null,
  async prepare(_, look, job) {
    const samples = await look.samples();
    const stars = samples.flatMap((piece) => findStars(meanPlane(piece), piece.width, piece.height, job.kernels));
    const { fwhmPx, beta } = starShape(stars);
    const channels = samples[0].channels;
    const facts = Array.from({ length: channels }, (_c, c) => skyFacts(samples, c, job.kernels));
    return {
      fwhmPx,
      beta: beta ?? FALLBACK_BETA,
      sky: facts.map((fact) => fact.sky),
      sigma: facts.map((fact) => fact.sigma),
      brightest: facts.map((fact) => fact.brightest),
    };
  },
  run(region, p, c, job) {
    const psf = psfOf(p, c);
    const planes = region.planes.map((plane, channel) => {
      const facts = { sky: c.sky[channel], sigma: c.sigma[channel], brightest: c.brightest[channel] };
      return deconvolvePlane(plane, region.width, region.height, psf, p, facts, job.kernels, () => job.check());
    });
    return { ...region, planes };
  },
};

interface SkyFacts {
  sky: number;
  sigma: number;
  brightest: number;
}

/** Sky level: the median of the darker half of 32 px cells; noise from the finest starlet scale; the brightest value. */
function skyFacts(samples: Raster[], c: number, kernels: Kernels): SkyFacts {
  const cells: number[] = [];
  let brightest = -Infinity;
  for (const piece of samples) {
    for (const value of piece.planes[c]) if (value > brightest) brightest = value;
    const side = Math.min(32, piece.width, piece.height);
    for (let y = 0; y + side <= piece.height; y += side)
      for (let x = 0; x + side <= piece.width; x += side)
        cells.push(robustSpread(cropRaster(piece, { x, y, width: side, height: side }).planes[c]).centre);
  }
  cells.sort((a, b) => a - b);
  const noise = samples.map((piece) => whiteNoise(piece.planes[c], piece.width, piece.height, kernels));
  return { sky: cells[Math.floor(cells.length / 4)], sigma: medianInPlace(Float64Array.from(noise)), brightest };
}

function deconvolvePlane(
  plane: Float32Array,
  width: number,
  height: number,
  psf: Psf,
  p: Params,
  facts: SkyFacts,
  kernels: Kernels,
  check: () => void,
): Float32Array {
  const { sky, sigma, brightest } = facts;
  const radius = (psf.size - 1) / 2;
  const padded = mirrorPadded(plane, width, height, radius);
  const w = width + 2 * radius;
  const h = height + 2 * radius;
  const range = brightest - sky;
  if (!(range > 0)) return plane;
  const pedestal = sky - PEDESTAL_SIGMA * sigma;
  const floor = Math.max(range * 1e-7, sigma * 1e-3);
  const data = new Float32Array(padded.length);
  for (let i = 0; i < data.length; i++) data[i] = Math.max(padded[i] - pedestal, floor);
  const settings = { iterations: p.iterations, start: "data" as const, floor };
  const sharp = kernels.richardsonLucy(data, w, h, psf, settings, check);
  const keep = protection(padded, w, h, psf, p, facts, kernels);
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const k = (y + radius) * w + x + radius;
      out[i] = plane[i] + (1 - keep[k]) * (sharp[k] + pedestal - plane[i]);
    }
  return out;
}

/** 0 … 1 for each pixel: how much of the original is kept. */
function protection(
  padded: Float32Array,
  w: number,
  h: number,
  psf: Psf,
  p: Params,
  { sky, sigma, brightest }: SkyFacts,
  kernels: Kernels,
): Float32Array {
  const keep = new Float32Array(padded.length);
  if (p.protectBackground > 0 && sigma > 0) {
    const mean = kernels.convolve(padded, w, h, psf);
    // Noise of a PSF-weighted mean of white noise: σ √Σ P².
    const noise = sigma * Math.sqrt(psf.values.reduce((sum, v) => sum + v * v, 0));
    for (let i = 0; i < keep.length; i++) {
      const t = Math.min(1, Math.max(0, ((mean[i] - sky) / noise - 2) / 10));
      keep[i] = p.protectBackground * (1 - t * t * (3 - 2 * t));
    }
  }
  if (p.protectStars > 0) {
    const limit = sky + 0.75 * (brightest - sky);
    const bright = new Float32Array(padded.length);
    let any = false;
    for (let i = 0; i < bright.length; i++)
      if (padded[i] > limit) {
        bright[i] = 1;
        any = true;
      }
    if (any) {
      const near = kernels.convolve(bright, w, h, psf);
      // A single bright pixel spreads to the PSF's own shape; 40 times that reaches about 1.5 FWHM around it.
      const gain = 40;
      for (let i = 0; i < keep.length; i++)
        keep[i] = Math.max(keep[i], p.protectStars * Math.min(1, Math.max(0, near[i] * gain)));
    }
  }
  return keep;
}

function mirrorPadded(plane: Float32Array, width: number, height: number, margin: number): Float32Array {
  const w = width + 2 * margin;
  const h = height + 2 * margin;
  const out = new Float32Array(w * h);
  const columns = Int32Array.from({ length: w }, (_, x) => mirrorIndex(x - margin, width));
  for (let y = 0; y < h; y++) {
    const row = mirrorIndex(y - margin, height) * width;
    for (let x = 0; x < w; x++) out[y * w + x] = plane[row + columns[x]];
  }
  return out;
}
