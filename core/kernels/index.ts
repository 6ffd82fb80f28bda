export type { BlockSettings } from "./blocks/contract";
export { BLOCK, COSINES } from "./blocks/contract";
export type { CalibrateKernels, Masters } from "./calibrate/contract";
export type {
  CombineResult,
  CombineSettings,
  Kept,
  Limits,
  Means,
  Rejector,
  ScatterModel,
  Table,
} from "./combine/contract";
export { SIGMA_PER_MAD } from "./combine/contract";
export type { Psf, RichardsonLucySettings } from "./convolution/contract";
export { goodFftSize } from "./convolution/contract";
export type { Kernels } from "./kernels";
export { createPlainKernels, createWasmKernels } from "./kernels";
export type { FitSquare, StarLook } from "./fits/contract";
export type { LineSums } from "./lines/contract";
export type { MixtureBand } from "./mixture/contract";
export { NEIGHBOURS } from "./mixture/contract";
export type { CfaCell, Interpolation, MosaicKernels } from "./mosaic/contract";
export { mosaicPlain } from "./mosaic/plain";
export type { DropSums } from "./drizzle/contract";
export type { GridPlaces, Levels, MeshPlaces, WeightTable } from "./resample/contract";
export { blocksOf } from "./resample/contract";
export type { BandPeaks, MeshLevels, SkyKernels } from "./sky/contract";
export { BAND_CELL } from "./sky/contract";
export type { MoffatTable, PointStar, StarPlanes } from "./stars/contract";
export { DRAWN, LEASH_PX, profileAt } from "./stars/contract";
export type { StatisticsKernels } from "./statistics/contract";
export type { ShrinkSettings } from "./starlet/contract";
export type { WaveletRule } from "./wavelets/contract";
export { highPass, waveletReach } from "./wavelets/contract";
