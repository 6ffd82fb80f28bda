import { multiscaleSharpening } from "./deconvolve/multiscaleSharpening";
import { inverse } from "./deconvolve/inverse";
import { richardsonLucy } from "./deconvolve/richardsonLucy";
import { roundStars } from "./deconvolve/roundStars";
import { starletLucy } from "./deconvolve/starletLucy";
import { starBackgroundDeconvolution } from "./deconvolve/starBackgroundDeconvolution";
import { multiscaleGain } from "./detail/multiscaleGain";
import { localContrast } from "./detail/localContrast";
import { unsharpMask } from "./detail/unsharpMask";
import { constant } from "./constant";
import { adaptiveMedian } from "./noise/adaptiveMedian";
import { bilateral } from "./noise/bilateral";
import { blockMatching } from "./noise/blockMatching";
import { gaussian } from "./noise/gaussian";
import { guided } from "./noise/guided";
import { mixtureShrinkage } from "./noise/mixtureShrinkage";
import { orthogonalWavelets } from "./noise/orthogonalWavelets";
import { starletShrinkage } from "./noise/starletShrinkage";
import { nonLocalMeans } from "./noise/nonLocalMeans";
import { totalVariation } from "./noise/totalVariation";
import type { AnyOperation } from "./operation";
import { toyNetwork } from "./toyNetwork";
import { arcsinhStretch } from "./stretch/arcsinhStretch";

/** Every operation that a chain may hold, in the order in which they are offered. A new one is one line here. */
export const OPERATIONS: readonly AnyOperation[] = [
  mixtureShrinkage,
  blockMatching,
  starletShrinkage,
  orthogonalWavelets,
  nonLocalMeans,
  totalVariation,
  bilateral,
  guided,
  adaptiveMedian,
  gaussian,
  starBackgroundDeconvolution,
  roundStars,
  richardsonLucy,
  starletLucy,
  inverse,
  multiscaleSharpening,
  multiscaleGain,
  unsharpMask,
  localContrast,
  arcsinhStretch,
];

/** Operations that run and are offered to nobody. */
const UNOFFERED: readonly AnyOperation[] = [constant, toyNetwork];

export function findOperation(id: string): AnyOperation | undefined {
  return [...OPERATIONS, ...UNOFFERED].find((operation) => operation.id === id);
}
