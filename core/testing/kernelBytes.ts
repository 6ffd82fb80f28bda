import { readFileSync } from "node:fs";
import { join } from "node:path";

/** The committed kernels.wasm, for tests in Node. */
export function kernelBytes(): Uint8Array {
  return new Uint8Array(readFileSync(join(process.cwd(), "core/kernels/kernels.wasm")));
}
