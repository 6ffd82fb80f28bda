export type { Kernels, Psf, RichardsonLucySettings, ShrinkSettings } from "./kernels";
export { goodFftSize } from "./kernels";
export { createPlainKernels } from "./plain";
export { createWasmKernels } from "./wasm";
