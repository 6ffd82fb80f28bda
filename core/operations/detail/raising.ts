import { cropPlane } from "../../raster";
import type { Facts } from "../../facts";
import type { JobHandle } from "../../job";
import { POINTS_HALO } from "../../measure";
import type { Field, Parameters, ValuesOf } from "../../parameters";
import { parameters, slider } from "../../parameters";
import type { StabilisedPlane } from "../varianceStabilised";
import { noiseField, pointFields, throughStabilised } from "../varianceStabilised";
import { around } from "../around";
import type { Operation, OperationWords } from "../operation";

/** What every way of raising detail has, in the same words. */
const shared = {
  strength: slider({
    label: "Strength",
    hint: "Share of the sharpening that goes into the picture; at 0 the picture stays",
    min: 0,
    max: 1,
    step: 0.01,
    default: 1,
  }),
  gate: slider({
    label: "Noise gate",
    hint: "How far detail must rise above the noise of its size to be raised by half; higher leaves more grain as it is",
    unit: "σ",
    min: 0,
    max: 10,
    step: 0.1,
    default: 3,
  }),
  ...pointFields,
  limit: {
    ...slider({
      label: "Raise up to",
      hint: "Detail that stands out of its surroundings by more than so many times the noise of a pixel, such as bright stars, is raised less and less: no dark rings, no burnt cores",
      unit: "σ",
      min: 1,
      max: 200,
      step: 1,
      default: 15,
    }),
    when: { name: "keepPoints", is: "true" },
  },
  ...noiseField,
};
type Shared = ValuesOf<typeof shared>;

/** How much of a gain detail gets that has so many times the variance that noise of its size has, which is `variance` of that of a pixel. */
export type GainShare = (power: number, variance: number) => number;

interface Raising<F extends Record<string, Field>> {
  id: string;
  version: number;
  words: OperationWords<ValuesOf<F>>;
  /** @default the halves alone tell it (Capabilities.disturbedWeight) */
  disturbedWeight?: number;
  fields: F;
  reach(params: ValuesOf<F>): number;
  /** The plane with its detail raised where it is kept. `share` has the gate and the limit. */
  raise(even: StabilisedPlane, params: ValuesOf<F>, share: GainShare, job: JobHandle): Float32Array;
}

/**
 * An operation that raises detail without a model of the blur, where noise is even (core/operations/varianceStabilised.ts). Detail with a signal of u times its noise gets u²/(u² + gate²) of the gain, so that grain is not sharpened, and
 * where there are stars, 1/(1 + (uσ/limit)²) of that, σ its noise. Points are set aside before and put back as they were. Own; the noise of each size from the halves.
 */
export function raisingOfDetail<F extends Record<string, Field>>(
  raising: Raising<F>,
): Operation<Shared & ValuesOf<F>, "noiseModel" | "psf"> {
  const { words, fields, reach, raise, disturbedWeight, ...known } = raising;
  const { strength, ...later } = shared;
  const all = parameters({ strength, ...fields, ...later });
  return {
    ...known,
    words: words as OperationWords<Shared & ValuesOf<F>>,
    group: "detail",
    parameters: all as unknown as Parameters<Shared & ValuesOf<F>>,
    can: {
      strength: {
        field: "strength",
        mixes: {
          shares: (params) => ({ light: params.strength, colour: params.strength }),
          full: { strength: 1 } as Partial<Shared & ValuesOf<F>>,
        },
      },
      detailGain: true,
      disturbedWeight,
    },
    channels: ["together", "luminance", "each", "chrominance"],
    needs: () => ["noiseModel", "psf"],
    source: around((params) => reach(params) + (params.keepPoints ? POINTS_HALO : 0)),
    run(region, { params, facts, job, place }) {
      const { noiseModel, psf } = facts as Facts<"noiseModel" | "psf">;
      const hasStars = params.keepPoints && psf.fwhmPx !== null;
      return throughStabilised(region, params, { noiseModel, psf }, job, place, (even) =>
        cropPlane(raise(even, params, shareOf(params, hasStars), job), even.width, even.kept),
      );
    },
  };
}

function shareOf({ gate, limit }: Shared, isLimited: boolean): GainShare {
  return (power, variance) => {
    const signal = Math.max(0, power - 1);
    const open = gate > 0 ? signal / (signal + gate * gate) : 1;
    return isLimited ? open / (1 + (signal * variance) / (limit * limit)) : open;
  };
}

/** Power of detail over that of its noise about each pixel: its square, smoothed once by the B3 spline of step 2^scale, over the noise's variance; null where there is no noise: all detail is raised. */
export function powerOf(
  detail: Float32Array,
  width: number,
  height: number,
  variance: number,
  scale: number,
  job: JobHandle,
): Float32Array | null {
  if (!(variance > 0)) return null;
  const squares = new Float32Array(detail.length);
  for (let i = 0; i < squares.length; i++) squares[i] = (detail[i] * detail[i]) / variance;
  return job.kernels.starletSmooth(squares, width, height, scale);
}

/** How far powerOf looks. */
export const powerReach = (scale: number): number => 2 * 2 ** scale;

/** How far a starlet coefficient looks. */
export const detailReach = (scale: number): number => 2 * (2 ** (scale + 1) - 1);
