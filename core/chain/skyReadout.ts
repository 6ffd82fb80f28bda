import type { Facts } from "../facts";
import type { JobHandle } from "../job";
import { quietly } from "../job";
import type { NoiseModel, SkyPatch } from "../measure";
import { patchRegion } from "../measure";
import type { Raster } from "../raster";
import {
  cropRaster,
  growRegion,
  intersectRegions,
  meanPlane,
  rasterOf,
  relativeTo,
  robustSpread,
  wholeRegion,
} from "../raster";
import type { ChainInput } from "./input";
import type { ReadyStep, StepFacts } from "./ready";
import { readySteps } from "./ready";
import { regionAfter, sizeAfter } from "./grid";
import { runFilled } from "./run";
import type { ChainStep } from "./schema";

/** Starlet scales that are measured: details of about 1, 2, 4, 8 and 16 px. */
export const READOUT_SCALES = 5;
const ROUND = 2 * (2 ** READOUT_SCALES - 1);

/** σ of what varies in patches of sky: of all that is finer than the last scale, and of each scale. */
interface Spread {
  sigma: number;
  scales: number[];
}

export interface SkyReadout {
  /** A row for each channel; where there are three, two more for their mean and for what differs from it. */
  rows: { of: "channel" | "luminance" | "chrominance"; channel: number; before: Spread; after: Spread }[];
  /** How the step's noise grows with the light, by channel of its mode: σ in the dark, and how far above it the light doubles the variance (null where it does not); null where the step asks for no noise. */
  noise: {
    from: "halves" | "picture" | "patches";
    sigma: number[];
    doubles: (number | null)[];
  } | null;
  /** Patches that lie on the picture. */
  patches: number;
}

/**
 * What varies in patches of sky before and after step `index`, whose facts and those before it must be there: 1.4826 MAD of each scale's starlet coefficients within the patches,
 * stars and hits so not counted. Chrominance is the root of the mean square of the channels' differences from their mean. Null where no patch lies on the picture.
 * Source: Starck & Murtagh 1998, PASP 110, 193.
 */
export async function skyReadout(
  { picture, fill }: ChainInput,
  steps: readonly ChainStep[],
  facts: readonly StepFacts[],
  index: number,
  patches: readonly SkyPatch[],
  job: JobHandle,
): Promise<SkyReadout | null> {
  const quiet = quietly(job);
  const chains = [index, index + 1].map((end) => readySteps(steps.slice(0, end), facts));
  const found: { inside: (raster: Raster) => Raster; pieces: Raster[] }[] = [];
  for (const [k, patch] of patches.entries()) {
    const state = sizeAfter(chains[0], picture);
    const place = regionAfter(state, patchRegion(patch));
    if (place.width < 1 || place.height < 1) continue;
    const area = intersectRegions(growRegion(place, ROUND), wholeRegion(state));
    const pieces: Raster[] = [];
    for (const chain of chains) pieces.push(await runFilled(picture, chain, area, fill, quiet));
    found.push({ inside: (raster) => cropRaster(raster, relativeTo(area, place)), pieces });
    job.progress((k + 1) / patches.length);
  }
  if (found.length === 0) return null;
  const spread = (time: number, planeOf: (raster: Raster) => Float32Array): Spread => {
    const details = found.map(({ inside, pieces }) => {
      const { width, height } = pieces[time];
      let current = planeOf(pieces[time]);
      const all = [current];
      for (let j = 0; j < READOUT_SCALES; j++)
        all.push((current = job.kernels.starletSmooth(current, width, height, j)));
      return all.map((plane) => inside(rasterOf(width, height, [plane])).planes[0]);
    });
    const between = (from: number, to: number) => {
      const values = details.flatMap((planes) => [...planes[from].map((v, i) => v - planes[to][i])]);
      return robustSpread(Float32Array.from(values)).sigma;
    };
    return {
      sigma: between(0, READOUT_SCALES),
      scales: Array.from({ length: READOUT_SCALES }, (_, j) => between(j, j + 1)),
    };
  };
  const row = (of: SkyReadout["rows"][number]["of"], channel: number, spreadAt: (time: number) => Spread) => ({
    of,
    channel,
    before: spreadAt(0),
    after: spreadAt(1),
  });
  const { channels } = picture;
  const rows = Array.from({ length: channels }, (_, c) =>
    row("channel", c, (time) => spread(time, (r) => r.planes[c])),
  );
  if (channels === 3) {
    const differences = (time: number): Spread => {
      const each = [0, 1, 2].map((c) =>
        spread(time, (raster) => {
          const mean = meanPlane(raster);
          return raster.planes[c].map((v, i) => v - mean[i]);
        }),
      );
      const rms = (valueOf: (of: Spread) => number) =>
        Math.sqrt(each.reduce((sum, one) => sum + valueOf(one) ** 2, 0) / 3);
      return { sigma: rms(({ sigma }) => sigma), scales: each[0].scales.map((_, j) => rms(({ scales }) => scales[j])) };
    };
    rows.push(
      row("luminance", -1, (time) => spread(time, meanPlane)),
      row("chrominance", -1, differences),
    );
  }
  return { rows, noise: grainOf(chains[1][chains[0].length]), patches: found.length };
}

function grainOf(step: ReadyStep | undefined): SkyReadout["noise"] {
  const known = step?.facts.flatMap(({ noiseModel }: Partial<Facts>) => noiseModel ?? []) ?? [];
  if (known.length === 0) return null;
  const models = known.flatMap(({ models }) => models);
  return {
    from: known[0].from,
    sigma: models.map(({ a }) => Math.sqrt(a)),
    doubles: models.map(doublingLight),
  };
}

/** The height above the dark at which noise has twice the variance that it has there: of b L + c L² = a the positive root. */
function doublingLight({ a, b, c }: NoiseModel): number | null {
  if (c > 0) return (Math.sqrt(b * b + 4 * a * c) - b) / (2 * c);
  return b > 0 ? a / b : null;
}
