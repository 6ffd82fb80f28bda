export { joinFromMode, splitForMode } from "./channels";
export type { ChainInput } from "./prepare";
export { prepareChain, prepareStep, sampleRegions } from "./prepare";
export type { ReadyStep } from "./run";
export { chainHalo, fillGaps, readySteps, runChain, stepsForHalves } from "./run";
export type { ChainFile, ChainStep } from "./schema";
export { CHAIN_FORMAT, CHAIN_VERSION, ChainError, chainStep, chainToJson, newStep, parseChain } from "./schema";
