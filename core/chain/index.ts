export { JOIN_HALO, joinFromMode, splitForMode } from "./channels";
export { gridSteps, regionAfter, sizeAfter, statesOf } from "./grid";
export { frameAfter, onOwnGrid } from "./ownGrid";
export { isStretched, misplacement, stateAfter } from "./state";
export type { ChainInput } from "./input";
export type { NoiseLeft } from "./noiseLeft";
export {
  added,
  differenceOver,
  DISTURBED,
  disturbedFrame,
  disturbedWeight,
  noiseLeft,
  NOISIER,
  sigmaLeft,
  sigmaOfLight,
} from "./noiseLeft";
export { measureChain, measureFacts, prepareChain, sampleRegions } from "./measure";
export type { FactKey, ReadyStep, StepFacts } from "./ready";
export {
  factsNeeded,
  hashesOf,
  idleReason,
  keyOfFact,
  readySteps,
  stepsForHalves,
  stepsForNoisier,
  UNTOUCHED,
} from "./ready";
export type { Restoration } from "./restoration";
export { restorationOf } from "./restoration";
export type { ChainMemo } from "./run";
export { chainHalo, forOneRun, runChain, runFilled } from "./run";
export type { ChainFile, ChainStep } from "./schema";
export {
  CHAIN_FORMAT,
  CHAIN_VERSION,
  ChainError,
  chainOfMask,
  chainStep,
  chainToJson,
  migratedStep,
  newStep,
  parseChain,
  placedStep,
  withPlacedParameters,
} from "./schema";
export type { SkyReadout } from "./skyReadout";
export { READOUT_SCALES, skyReadout } from "./skyReadout";
export type { StoppingCurve } from "./stopping";
export { stoppingCurve } from "./stopping";
export type { StrengthCurve } from "./strength";
export { placesOf } from "./overPlaces";
export { frameAt, localVariance, strengthCurve } from "./strength";
export { chainWords } from "./words";
