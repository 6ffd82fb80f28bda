// The WebAssembly kernels. AssemblyScript, not TypeScript: raw pointers into one linear memory, no allocation.
// The caller (core/kernels/wasm.ts) lays out the memory and passes byte addresses; all samples are f32.
export { forwardColumns, ratioColumns, updateColumns, inverseColumns, transferRows, transformRows } from "./convolve";
export { b3Smooth, addSignificance, shrinkInto, addInto } from "./starlet";
