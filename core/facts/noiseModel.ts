import * as z from "zod";
import type { JobHandle } from "../job";
import type { Kernels } from "../kernels";
import type { NoiseModel } from "../measure";
import {
  autocovariance,
  bandCovariance,
  fitNoiseModel,
  gaussianCorrelation,
  noiseCorrelation,
  noiseModelSchema,
  REACH,
  sigmaAt,
  smoothed,
  stabiliser,
  STARLET_NOISE,
  strongerNoise,
  surroundings,
  whiteNoiseField,
} from "../measure";
import type { Raster } from "../raster";
import { cropRaster, medianInPlace, rasterOf, robustSpread, difference } from "../raster";
import { componentsOf } from "./components";
import type { Fact, SeenPatch } from "./fact";
import { noiseGainMap, noiseGainOver } from "./noiseGainMap";

/** Hits and what else is no noise count at most so many σ. */
const MOST_SIGMA = 6;

const schema = z.object({
  /** Of each channel: noise against signal. */
  models: z.array(noiseModelSchema),
  /** Autocovariance of the noise of each component of the stabilised channels (components.ts), to lags of 8 px. */
  covariance: z.array(z.array(z.number())),
  from: z.enum(["halves", "picture", "patches"]),
  /** How much stronger it is in places; null where that is not told. */
  noiseGain: noiseGainMap.nullable().default(null),
  /** How many times stronger the noise of the untouched picture is, by channel, at least 1: what it bent is bent by as much. */
  removed: z.array(z.number().min(1)),
});
export type NoiseModelFact = z.infer<typeof schema>;

/**
 * The noise as it lies on the picture: against the signal, so that it can be made even, and how
 * neighbours share it, from (A − B)/2. Without halves: where the noise is white, from
 * mixed second differences, which structure hardly reaches (mixedDifferences.ts); elsewhere variance from the finest
 * starlet scale, over its share of white noise, and correlation from how much more the picture's quiet
 * cells vary than that scale shows, taken as that of smoothed white
 * noise. So structure is never taken for noise at coarse scales. With patches of sky: how noise grows with the signal as before, but as strong as what varies in the patches, and correlated as
 * that is, less what is smoother than some 30 px. Sources: Janesick 2001, 2.2; own.
 */
export const noiseModel: Fact<NoiseModelFact> = {
  id: "noiseModel",
  follows: "patches",
  title: "noise against signal, and how neighbours share it",
  schema,
  async measure(input, job) {
    const samples = await input.samples();
    const halves = await input.halfDifferences();
    const gaps = await input.gaps();
    const over = await input.noiseGain();
    const reliefs = input.places.map((place) => samples[0].planes.map((_, c) => over && noiseGainOver(over, c, place)));
    const found = samples[0].planes.map((_, c) => channelNoise(samples, halves, reliefs, gaps, c, job));
    const models = found.map(({ model }) => model);
    await job.breathe();
    const removed = removedNoise(samples.length, models.length, halves, await input.untouchedDifferences());
    const patches = await input.patches();
    if (patches) return { ...inPatches(patches, models, job), from: "patches", noiseGain: null, removed };
    const covariance = noiseCovariances(samples, halves, reliefs, gaps, models, found, job).map((lags) => [...lags]);
    return { models, covariance, from: halves ? "halves" : "picture", noiseGain: over, removed };
  },
  noisier: (value, times) => ({
    ...value,
    models: value.models.map((model) => strongerNoise(model, times)),
  }),
};

/** By channel the median over the pieces of the σ that the untouched halves show over that which these do; 1 without halves. */
function removedNoise(pieces: number, channels: number, halves: Raster[] | null, untouched: Raster[] | null): number[] {
  return Array.from({ length: channels }, (_, c) => {
    if (!halves || !untouched) return 1;
    const ratios = Array.from({ length: pieces }, (__, k) => {
      const [now, before] = [halves, untouched].map((of) => robustSpread(of[k].planes[c]).sigma);
      return now > 0 && before > 0 ? before / now : 1;
    });
    return Math.max(1, medianInPlace(Float32Array.from(ratios), ratios.length));
  });
}

/** What the noise of a region is known by: of the whole picture, and where in it the region lies. */
type Known = Pick<NoiseModelFact, "models" | "noiseGain">;

/** A picture whose noise has σ 1 everywhere; channels without noise stay as they are. `x`, `y`: where its first pixel lies in the whole. */
export function stabilisedRaster(raster: Raster, { models, noiseGain: over }: Known, x: number, y: number): Raster {
  const { width, height } = raster;
  const planes = raster.planes.map((plane, c) => {
    const even = stabiliser(models[c])?.forward(plane);
    if (!even || !over) return even ?? plane;
    const by = noiseGainOver(over, c, { x, y, width, height });
    for (let i = 0; i < by.length; i++) by[i] = even[i] / by[i];
    return by;
  });
  return rasterOf(width, height, planes);
}

/** The way back from stabilisedRaster. */
export function unstabilised(even: Raster, { models, noiseGain: over }: Known, x: number, y: number): Raster {
  const { width, height } = even;
  const planes = even.planes.map((plane, c) => {
    const uneven = stabiliser(models[c]);
    if (!uneven || !over) return uneven?.back(plane) ?? plane;
    const by = noiseGainOver(over, c, { x, y, width, height });
    for (let i = 0; i < by.length; i++) by[i] *= plane[i];
    return uneven.back(by);
  });
  return rasterOf(width, height, planes);
}

/** By piece: where there is no data. */
type Gaps = (Uint8Array | null)[];
/** By piece and channel: how much stronger the noise is than elsewhere. */
type Reliefs = (Float32Array | null)[][];

interface ChannelNoise {
  model: z.infer<typeof noiseModelSchema>;
  /** How noise correlates, to lags of 8 px, where no halves tell it. */
  assumed: Float64Array | null;
}

/** Noise against signal of a channel, from the halves or from the picture's own finest detail. */
function channelNoise(
  samples: Raster[],
  halves: Raster[] | null,
  reliefs: Reliefs,
  gaps: Gaps,
  c: number,
  job: JobHandle,
): ChannelNoise {
  const levels: Float32Array[] = [];
  const noises: Float32Array[] = [];
  const ratios: number[] = [];
  for (const [k, { planes, width, height }] of samples.entries()) {
    const plane = planes[c];
    levels.push(surroundings(plane, width, height, job.kernels));
    const by = reliefs[k][c];
    if (halves) noises.push(by ? halves[k].planes[c].map((v, i) => v / by[i]) : halves[k].planes[c]);
    else {
      const white = whiteNoiseField(plane, width, height, job.kernels);
      noises.push(white ?? finestDetail(plane, width, height, job));
      if (white) ratios.push(1);
      else if (k < 3) ratios.push(noiseCorrelation(plane, width, height, job.kernels) ?? 1);
    }
  }
  const [level, noise] = sparse(levels, noises, gaps);
  if (halves) return { model: fitNoiseModel(level, noise), assumed: null };
  const ratio = [...ratios].sort((p, q) => p - q)[ratios.length >> 1];
  const model = fitNoiseModel(level, noise, false);
  return {
    model: strongerNoise(model, ratio),
    assumed: gaussianCorrelation(smoothingOf(ratio)),
  };
}

/** The finest starlet scale, with the σ of white noise as that of its pixels. */
function finestDetail(plane: Float32Array, width: number, height: number, { kernels }: JobHandle): Float32Array {
  return difference(plane, kernels.starletSmooth(plane, width, height, 0)).map((v) => v / STARLET_NOISE[0]);
}

/** The smoothing of white noise, as σ in px, after which noise per pixel is `ratio` times what the finest scale shows. */
function smoothingOf(ratio: number): number {
  let [low, high] = [0, 3];
  while (high - low > 1e-3) {
    const middle = (low + high) / 2;
    const [finest] = bandCovariance(gaussianCorrelation(middle), 0, 0);
    if (STARLET_NOISE[0] / Math.sqrt(finest) < ratio) low = middle;
    else high = middle;
  }
  return low;
}

/** Autocovariance, to lags of 8 px, of the noise of a component of the stabilised picture. */
function noiseCovariances(
  samples: Raster[],
  halves: Raster[] | null,
  reliefs: Reliefs,
  gaps: Gaps,
  models: NoiseModelFact["models"],
  found: ChannelNoise[],
  job: JobHandle,
): Float64Array[] {
  if (!halves) {
    const assumed = found.map((one) => one.assumed ?? gaussianCorrelation(0));
    // Channels that know nothing of one another: each component has the mean of their covariances.
    const mean = assumed[0].map((_, k) => assumed.reduce((sum, one) => sum + one[k], 0) / assumed.length);
    return componentsOf(samples[0]).map(() => mean);
  }
  const fields = halves.map((piece, k) => {
    const { width, height } = piece;
    const planes = piece.planes.map((noise, c) => {
      const level = surroundings(samples[k].planes[c], width, height, job.kernels);
      const by = reliefs[k][c];
      const unit = noise.map((v, i) => (models[c].a > 0 ? v / sigmaAt(models[c], level[i]) / (by?.[i] ?? 1) : 0));
      return detailOf(unit, width, height, job).map((v, i) => (gaps[k]?.[i] === 1 ? NaN : v));
    });
    return rasterOf(width, height, planes);
  });
  return covariancesOf(fields, 4, job.kernels);
}

/** Of noise of σ 1, outliers held to some σ, what is finer than some 30 px: what is smoother is sky. */
function detailOf(unit: Float32Array, width: number, height: number, job: JobHandle): Float32Array {
  const field = unit.map((v) => Math.max(-MOST_SIGMA, Math.min(MOST_SIGMA, v)));
  return difference(field, smoothed(field, width, height, 5, job.kernels));
}

/** Autocovariance of each component of fields of noise, from one of `every` rows. */
function covariancesOf(fields: Raster[], every: number, kernels: Kernels): Float64Array[] {
  const pieces = fields.map((field) => componentsOf(field).map((plane) => ({ ...field, plane })));
  return pieces[0].map((_, k) =>
    autocovariance(
      pieces.map((components) => components[k]),
      kernels,
      REACH,
      1,
      every,
    ),
  );
}

/** What varies in patches of sky, as noise. */
function inPatches(
  patches: SeenPatch[],
  models: NoiseModel[],
  job: JobHandle,
): Pick<NoiseModelFact, "models" | "covariance"> {
  const fieldsBy = (known: NoiseModel[]): Raster[] =>
    patches.map(({ raster, inside }) => {
      const planes = raster.planes.map((plane, c) => {
        const level = medianOf(cropRaster(rasterOf(raster.width, raster.height, [plane]), inside).planes[0]);
        const sigma = sigmaAt(known[c], level);
        return detailOf(
          plane.map((v) => (sigma > 0 ? (v - level) / sigma : 0)),
          raster.width,
          raster.height,
          job,
        );
      });
      return cropRaster(rasterOf(raster.width, raster.height, planes), inside);
    });
  const first = fieldsBy(models);
  const scaled = models.map((model, channel) => {
    const { sigma } = robustSpread(Float32Array.from(first.flatMap(({ planes }) => [...planes[channel]])));
    return strongerNoise(model, sigma);
  });
  return { models: scaled, covariance: covariancesOf(fieldsBy(scaled), 1, job.kernels).map((lags) => [...lags]) };
}

const medianOf = (values: Float32Array): number => medianInPlace(Float64Array.from(values));

/** Every third pair where there is data: neighbours tell the same. */
function sparse(
  levels: Float32Array[],
  noises: Float32Array[],
  gaps: Gaps,
): [levels: Float32Array, noises: Float32Array] {
  const most = levels.reduce((sum, { length }) => sum + Math.ceil(length / 3), 0);
  const [level, noise] = [new Float32Array(most), new Float32Array(most)];
  let at = 0;
  for (const [k, part] of levels.entries())
    for (let i = 0; i < part.length; i += 3) {
      if (gaps[k]?.[i] === 1) continue;
      level[at] = part[i];
      noise[at++] = noises[k][i];
    }
  return [level.subarray(0, at), noise.subarray(0, at)];
}
