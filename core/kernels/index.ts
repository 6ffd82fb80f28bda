export type { CombineResult, CombineSettings, Kept, Limits, Rejector, ScatterModel, Table } from "./combine/contract";
export { SIGMA_PER_MAD } from "./combine/contract";
export type { Psf, RichardsonLucySettings } from "./convolution/contract";
export { goodFftSize } from "./convolution/contract";
export type { Kernels } from "./kernels";
export { createPlainKernels, createWasmKernels } from "./kernels";
export type { LineSums } from "./lines/contract";
export type { GridPlaces, RowPlaces, WeightTable } from "./resample/contract";
export type { ShrinkSettings } from "./starlet/contract";
