import type { Memory } from "../memory";
import { createMemory } from "../memory";
import type { WasmModule } from "./arena";
import type { BlockKernels } from "./blocks/contract";
import { blocksPlain } from "./blocks/plain";
import { blocksWasm } from "./blocks/wasm";
import type { CalibrateKernels } from "./calibrate/contract";
import { calibratePlain } from "./calibrate/plain";
import { calibrateWasm } from "./calibrate/wasm";
import type { CombineKernels } from "./combine/contract";
import { combinePlain } from "./combine/plain";
import { combineWasm } from "./combine/wasm";
import type { ConvolutionKernels } from "./convolution/contract";
import { convolutionPlain } from "./convolution/plain";
import { convolutionWasm } from "./convolution/wasm";
import type { CovarianceKernels } from "./covariance/contract";
import { covariancePlain } from "./covariance/plain";
import { covarianceWasm } from "./covariance/wasm";
import type { DrizzleKernels } from "./drizzle/contract";
import { drizzlePlain } from "./drizzle/plain";
import { drizzleWasm } from "./drizzle/wasm";
import type { FilterKernels } from "./filter/contract";
import { filterPlain } from "./filter/plain";
import { filterWasm } from "./filter/wasm";
import type { FitKernels } from "./fits/contract";
import { fitsPlain } from "./fits/plain";
import { fitsWasm } from "./fits/wasm";
import type { GatedKernels } from "./gated/contract";
import { gatedPlain } from "./gated/plain";
import { gatedWasm } from "./gated/wasm";
import type { LineKernels } from "./lines/contract";
import { linesPlain } from "./lines/plain";
import { linesWasm } from "./lines/wasm";
import type { MixtureKernels } from "./mixture/contract";
import { mixturePlain } from "./mixture/plain";
import { mixtureWasm } from "./mixture/wasm";
import type { MosaicKernels } from "./mosaic/contract";
import { mosaicPlain } from "./mosaic/plain";
import { mosaicWasm } from "./mosaic/wasm";
import type { PatchKernels } from "./patches/contract";
import { patchesPlain } from "./patches/plain";
import { patchesWasm } from "./patches/wasm";
import type { ResampleKernels } from "./resample/contract";
import { resamplePlain } from "./resample/plain";
import { resampleWasm } from "./resample/wasm";
import type { SkyKernels } from "./sky/contract";
import { skyPlain } from "./sky/plain";
import { skyWasm } from "./sky/wasm";
import type { StarKernels } from "./stars/contract";
import { starsPlain } from "./stars/plain";
import { starsWasm } from "./stars/wasm";
import type { StarletKernels } from "./starlet/contract";
import { starletPlain } from "./starlet/plain";
import { starletWasm } from "./starlet/wasm";
import type { StatisticsKernels } from "./statistics/contract";
import { statisticsPlain } from "./statistics/plain";
import { statisticsWasm } from "./statistics/wasm";
import type { VariationKernels } from "./variation/contract";
import { variationPlain } from "./variation/plain";
import { variationWasm } from "./variation/wasm";
import type { WaveletKernels } from "./wavelets/contract";
import { waveletsPlain } from "./wavelets/plain";
import { waveletsWasm } from "./wavelets/wasm";
import type { WindowKernels } from "./window/contract";
import { windowPlain } from "./window/plain";
import { windowWasm } from "./window/wasm";

/**
 * The hot computations, one folder each: what it computes (contract.ts), plain TypeScript (plain.ts, its oracle and its fallback), and
 * WebAssembly SIMD (assembly.ts, called by wasm.ts). Both give the same numbers to single precision. Planes are `width * height`,
 * row-major, free of NaN unless a contract says otherwise. Inputs are not changed. Callers do not see which one runs. A new kernel is a
 * folder and a line in each of the three lists here; scripts/kernels.mjs compiles every assembly.ts. `memory` has what was worked out
 * with them; it lives as long as they do.
 */
export type Kernels = { readonly name: "wasm" | "plain"; readonly memory: Memory } & StarletKernels &
  BlockKernels &
  CalibrateKernels &
  ConvolutionKernels &
  CombineKernels &
  CovarianceKernels &
  DrizzleKernels &
  FilterKernels &
  FitKernels &
  GatedKernels &
  LineKernels &
  MixtureKernels &
  MosaicKernels &
  PatchKernels &
  ResampleKernels &
  SkyKernels &
  StarKernels &
  StatisticsKernels &
  VariationKernels &
  WaveletKernels &
  WindowKernels;

/** The kernels in plain TypeScript. */
export function createPlainKernels(): Kernels {
  const memory = createMemory();
  return {
    name: "plain",
    memory,
    ...starletPlain,
    ...filterPlain,
    ...blocksPlain,
    ...calibratePlain,
    ...convolutionPlain,
    ...combinePlain(memory),
    ...covariancePlain,
    ...drizzlePlain,
    ...fitsPlain,
    ...gatedPlain,
    ...linesPlain,
    ...mixturePlain,
    ...mosaicPlain,
    ...patchesPlain,
    ...resamplePlain,
    ...skyPlain,
    ...starsPlain,
    ...statisticsPlain,
    ...variationPlain,
    ...waveletsPlain,
    ...windowPlain,
  };
}

/**
 * The kernels on WebAssembly SIMD128. Throws where the engine cannot run them (the caller then takes createPlainKernels).
 * Each call lays its working memory out anew in the module's one linear memory, where nothing is kept between calls.
 */
export function createWasmKernels(bytes: Uint8Array): Kernels {
  const instance = new WebAssembly.Instance(new WebAssembly.Module(bytes as Uint8Array<ArrayBuffer>), {
    env: { abort: () => undefined },
  });
  const wasm = instance.exports as unknown as WasmModule;
  const memory = createMemory();
  return {
    name: "wasm",
    memory,
    ...starletWasm(wasm),
    ...filterWasm(wasm),
    ...blocksWasm(wasm),
    ...calibrateWasm(wasm),
    ...convolutionWasm(wasm),
    ...combineWasm(wasm, memory),
    ...covarianceWasm(wasm),
    ...drizzleWasm(wasm),
    ...fitsWasm(wasm),
    ...gatedWasm(wasm),
    ...linesWasm(wasm),
    ...mixtureWasm(wasm),
    ...mosaicWasm(wasm),
    ...patchesWasm(wasm),
    ...resampleWasm(wasm),
    ...skyWasm(wasm),
    ...starsWasm(wasm),
    ...statisticsWasm(wasm),
    ...variationWasm(wasm),
    ...waveletsWasm(wasm),
    ...windowWasm(wasm),
  };
}
