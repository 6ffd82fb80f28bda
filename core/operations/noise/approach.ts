import type { FactId, Facts } from "../../facts";
import type { JobHandle } from "../../job";
import { bandCovariance, POINTS_HALO, smoothed, smoothedReach } from "../../measure";
import type { Field, Parameters, ValuesOf } from "../../parameters";
import { choice, parameters, slider } from "../../parameters";
import type { StabilisedPlane } from "../varianceStabilised";
import { noiseField, partOf, pointFields, throughStabilised } from "../varianceStabilised";
import { cropPlane, growRegion, intersectRegions, relativeTo, wholeRegion } from "../../raster";
import { around } from "../around";
import type { ChannelMode, Operation, OperationWords, Shares } from "../operation";

const share = (label: string, hint: string, levers: string | readonly string[], ofColour = true) => ({
  ...slider({ label, hint, min: 0, max: 1, step: 0.01, default: 1 }),
  when: { name: "levers", is: levers },
  ofColour,
});

/** What every approach to noise has, in the same words. */
const shared = {
  levers: {
    ...choice({
      label: "Strength for",
      hint: "One strength for all; one for light and one for colour, whose noise is usually the larger; or one for each channel",
      options: [
        { value: "all", label: "all alike" },
        { value: "colour", label: "light and colour" },
        { value: "each", label: "each channel" },
      ],
      default: "all",
    }),
    ofColour: true,
  },
  strength: share(
    "Strength",
    "Share of the noise that is taken away: at 0 the picture stays, at 1 all goes that this approach takes for noise; between them grain stays as it is, fainter",
    ["all", "colour"],
    false,
  ),
  colourStrength: share(
    "Of colour",
    "Share of the noise that is taken away of colour; strength is that of light",
    "colour",
  ),
  redStrength: share("Of red", "Share of the noise that is taken away of the first channel", "each"),
  greenStrength: share("Of green", "Share of the noise that is taken away of the second channel", "each"),
  blueStrength: share("Of blue", "Share of the noise that is taken away of the third channel", "each"),
  mottle: slider({
    label: "Large mottle",
    hint: "Share of the unevenness of 8 to 64 px that is taken away where it is no larger than the noise there; faint wide structure may go with it",
    min: 0,
    max: 1,
    step: 0.01,
    default: 0,
  }),
  leastGrain: slider({
    label: "Least grain",
    hint: "Share of the noise that stays everywhere: evens out what is left in dark and bright places",
    min: 0,
    max: 0.5,
    step: 0.01,
    default: 0,
  }),
  ...pointFields,
};
type Shared = ValuesOf<typeof shared & typeof noiseField>;

/** An approach to noise: what it takes for the picture, given a plane of even noise. */
interface Approach<F extends Record<string, Field>, I extends FactId> {
  id: string;
  version: number;
  words: OperationWords<ValuesOf<F>>;
  /** Its own settings, between strength and the points. */
  fields: F;
  /** What it must know beside the noise and the stars. */
  needs(params: ValuesOf<F>): readonly I[];
  migrations?: Operation<unknown, I>["migrations"];
  /** Whether it takes single outliers away and no grain: points are then set aside only on demand (an outlier looks like one), and there are no settings for grain. @default false */
  onlyOutliers?: boolean;
  /** @default linear (Capabilities.disturbedWeight) */
  disturbedWeight?: number;
  /** Pixels of surroundings that `clean` looks at. */
  reach(params: ValuesOf<F>): number;
  /** The plane without noise where it is kept. */
  clean(even: StabilisedPlane, params: ValuesOf<F>, facts: Facts<I>, job: JobHandle): Float32Array;
}

const CHANNELS: readonly ChannelMode[] = ["together", "each", "luminance", "chrominance"];

/**
 * An operation of an approach: noise is made even (grain.ts), channels become brightness and two differences, points are set aside; the approach cleans each plane; then all goes
 * back the way it came; the runner mixes it with the picture by strength. Points: matched filter, weight rising over the threshold (measure/matchedFilter.ts).
 */
export function noiseApproach<F extends Record<string, Field>, I extends FactId = never>(
  approach: Approach<F, I>,
): Operation<Shared & ValuesOf<F>, I | "noiseModel" | "psf"> {
  const { words, fields, needs, reach, clean, disturbedWeight, onlyOutliers = false, ...known } = approach;
  const startingPoints = onlyOutliers
    ? []
    : (STARTING_POINTS as OperationWords<Shared & ValuesOf<F>>["startingPoints"]);
  const { levers, strength, colourStrength, redStrength, greenStrength, blueStrength, ...later } = shared;
  const strengths = { levers, strength, colourStrength, redStrength, greenStrength, blueStrength };
  const { keepPoints, pointSnr, ...grainy } = later;
  const points = { keepPoints: { ...keepPoints, default: !onlyOutliers }, pointSnr };
  const all = parameters({ ...strengths, ...fields, ...(onlyOutliers ? {} : grainy), ...points, ...noiseField });
  return {
    ...known,
    words: { ...words, startingPoints },
    group: "noise",
    parameters: all as unknown as Parameters<Shared & ValuesOf<F>>,
    can: {
      strength: { field: "strength", mixes: { shares: sharesOf, full: FULL as Partial<Shared & ValuesOf<F>> } },
      noiseReduction: true,
      disturbedWeight,
    },
    channels: CHANNELS,
    needs: (params) => ["noiseModel", "psf", ...needs(params)],
    source: around(
      (params) =>
        reach(params) +
        (params.keepPoints ? POINTS_HALO : 0) +
        (params.mottle > 0 ? MOTTLE_REACH : 0) +
        (params.leastGrain > 0 ? GRAIN_REACH : 0),
    ),
    async run(region, { params, facts, job, place }) {
      const { noiseModel, psf } = facts as Facts<"noiseModel" | "psf">;
      const { leastGrain = 0, mottle = 0 } = params as Partial<Shared>;
      const isNoisy = noiseModel.models.some(({ a }) => a > 0);
      if (!isNoisy) return region;
      const margin = (mottle > 0 ? MOTTLE_REACH : 0) + (leastGrain > 0 ? GRAIN_REACH : 0);
      const cleaned = await throughStabilised(region, params, { noiseModel, psf }, job, place, (even) => {
        const needed = intersectRegions(growRegion(even.kept, margin), wholeRegion(even));
        const part = intersectRegions(growRegion(needed, reach(params)), wholeRegion(even));
        const own = partOf(even, part, needed);
        const smooth = withoutMottle(own, clean(own, params, facts as Facts<I>, job), mottle, job);
        return cropPlane(withGrain(own, smooth, leastGrain, job), part.width, relativeTo(part, even.kept));
      });
      // Channels without noise as they came.
      const planes = cleaned.planes.map((plane, c) => (noiseModel.models[c].a > 0 ? plane : region.planes[c]));
      return { ...region, planes };
    },
  };
}

function sharesOf({ levers, strength, colourStrength, redStrength, greenStrength, blueStrength }: Shared): Shares {
  if (levers === "each") return { each: [redStrength, greenStrength, blueStrength] };
  return { light: strength, colour: levers === "colour" ? colourStrength : strength };
}

const FULL: Partial<Shared> = {
  levers: "all",
  strength: 1,
  colourStrength: 1,
  redStrength: 1,
  greenStrength: 1,
  blueStrength: 1,
};

const STARTING_POINTS: { label: string; hint: string; params: Partial<Shared> }[] = [
  {
    label: "Keep the grain",
    hint: "Takes two thirds of the noise away; what is left looks as it did, only fainter",
    params: { strength: 0.67, colourStrength: 0.9, leastGrain: 0, mottle: 0 },
  },
  {
    label: "Soften",
    hint: "Takes nearly all away and leaves the same little grain everywhere",
    params: { strength: 1, colourStrength: 1, leastGrain: 0.2, mottle: 0 },
  },
  {
    label: "Clean",
    hint: "Takes all away that this approach takes for noise",
    params: { strength: 1, colourStrength: 1, leastGrain: 0, mottle: 0 },
  },
];

/** Starlet scales of the large mottle: about 8, 16 and 32 px; and how far they reach. */
const [MOTTLE_FROM, MOTTLE_TO] = [3, 6];
const FAR = 3e3;
const MOTTLE_REACH = 2 * (2 ** MOTTLE_TO - 1) + 1;

/** What was cleaned, its coarse unevenness weakened by u²/(1 + u²), u = (|w|/3σ)², where it is no larger than what the noise's correlation lets expect at that scale (as in starletShrinkage.ts). */
function withoutMottle(
  { width, height, covariance }: StabilisedPlane,
  cleaned: Float32Array,
  share: number,
  job: JobHandle,
): Float32Array {
  if (share === 0) return cleaned;
  const noise = Float64Array.from(covariance);
  const inverseSigma = Array.from({ length: MOTTLE_TO }, (_, scale) => {
    const variance = bandCovariance(noise, scale, 0)[0];
    // Of finer scales everything is kept, as if it stood far above the noise.
    return scale < MOTTLE_FROM || !(variance > 0) ? FAR : 1 / Math.sqrt(variance);
  });
  const settings = { inverseSigma: [inverseSigma], k: 3, protect: 0.5 };
  const [smooth] = job.kernels.starletShrink([cleaned], width, height, settings);
  return cleaned.map((v, i) => v + share * (smooth[i] - v));
}

/** Scales over which it is looked at how much noise is left; and how far that reaches. */
const GRAIN_SCALES = 4;
const GRAIN_REACH = smoothedReach(GRAIN_SCALES);

/**
 * What was cleaned with so much of what was taken away that noise of at least `least` σ stays: x + e (y − x), where e makes the rms of what is taken, over some 20 px, no more than 1 − least of σ. What is
 * left is then at least the difference (triangle inequality). Own.
 */
function withGrain(
  { plane, width, height, covariance }: StabilisedPlane,
  cleaned: Float32Array,
  least: number,
  job: JobHandle,
): Float32Array {
  if (least === 0) return cleaned;
  const variance = covariance[covariance.length >> 1];
  const squares = plane.map((v, i) => (v - cleaned[i]) ** 2);
  const taken = smoothed(squares, width, height, GRAIN_SCALES, job.kernels);
  const most = (1 - least) * Math.sqrt(variance);
  return cleaned.map((v, i) => {
    const rms = Math.sqrt(Math.max(0, taken[i]));
    return rms > most ? v + (1 - most / rms) * (plane[i] - v) : v;
  });
}
