import type { LayerScatter } from "../combine";
import type { FrameUnit, SubMetadata } from "../formats";
import { aduPerSample } from "../formats";
import type { SubMeasures } from "../measure";
import { medianInPlace } from "../raster";
import type { Warp } from "../register";
import { describeWarp, resamplingNoiseGain } from "../register";
import type { StackSettings } from "./settings";

/** What shows the scatter that is expected of a sub, once it is registered and scaled to the reference. */
export interface SubScatter {
  /** Variance per pixel of the sky, by channel; 0 where it is not known. */
  noise: number[];
  /** Variance per level of light above the sky, by channel. */
  signal: number[];
  /** Width of its stars in px of the reference; null where it is not known. */
  fwhmPx: number | null;
}

/** What of a sub shows its scatter. */
interface Scattering {
  width: number;
  height: number;
  measures: SubMeasures;
  unit?: FrameUnit;
  metadata?: SubMetadata;
}

/** A sub's seeing may be measured this much wrong, and stars are no Gaussians. */
const BLUR_DOUBT = 1.5;
/** FWHM² over variance of a Gaussian: 8 ln 2. */
const FWHM2_PER_VARIANCE = 8 * Math.LN2;

/**
 * Light of L levels above the sky in a sub of scale s, g electrons for each of its levels, adds the variance s L / g to a sample that is
 * scaled. Where g is not told nothing is added: the samples' own scatter widens the limits then, and results do not depend on a pedestal.
 */
export function scatterOf(
  { measures, unit, metadata, width, height }: Scattering,
  toReference: Warp,
  scale: number,
  resampling: StackSettings["resampling"],
): SubScatter {
  const gain = resamplingNoiseGain(toReference, { width, height }, resampling);
  const electrons = electronsPerSample(unit, metadata?.electronsPerAdu ?? null);
  const middle: [number, number] = [width / 2, height / 2];
  return {
    noise: measures.noise.map((sigma) => (scale * sigma * gain) ** 2),
    signal: measures.noise.map(() => (electrons === null ? 0 : (scale / electrons) * gain ** 2)),
    fwhmPx: measures.fwhmPx === null ? null : measures.fwhmPx * describeWarp(toReference, ...middle).scale,
  };
}

/** How many electrons a sample of 1.0 is; null where that is not told. */
function electronsPerSample(unit: FrameUnit | undefined, typed: number | null): number | null {
  if (!unit) return null;
  if (unit.name === "e-") return unit.storedPerUnit;
  const perAdu = typed ?? unit.electronsPerAdu;
  return perAdu === null ? null : perAdu * aduPerSample(unit);
}

/** The scatter that is expected of each sub of a plan, for a channel. A sub of unknown noise has the largest of the others. */
export function layerScatter(
  { used, sky }: { used: readonly { scatter: SubScatter }[]; sky: readonly number[] },
  channel: number,
): LayerScatter {
  const noise = used.map(({ scatter }) => scatter.noise[channel]);
  const largest = noise.reduce((a, b) => Math.max(a, b), 0);
  const widths = used.flatMap(({ scatter: { fwhmPx } }) => fwhmPx ?? []);
  const typical = widths.length > 0 ? medianInPlace(Float64Array.from(widths)) : 0;
  return {
    noise: noise.map((variance) => (variance > 0 ? variance : largest)),
    signal: used.map(({ scatter }) => scatter.signal[channel]),
    // Blur of variance v changes a picture by ½ v ∇² of it.
    blur: used.map(
      ({ scatter: { fwhmPx } }) =>
        ((BLUR_DOUBT * ((fwhmPx ?? typical) ** 2 - typical ** 2)) / 2 / FWHM2_PER_VARIANCE) ** 2,
    ),
    sky: sky[channel],
  };
}
