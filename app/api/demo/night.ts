import { readFileSync } from "node:fs";
import { join } from "node:path";
import type { Kernels } from "@/core/kernels";
import { createPlainKernels, createWasmKernels } from "@/core/kernels";
import type { Night } from "@/core/simulate";
import { createNight } from "@/core/simulate";

/** The night that the demo shows: 20 subs of the Weir Nebula field. */
const DEMO = { subs: 20, seed: 41, width: 900, height: 600 };

interface Observatory {
  night: Night;
  kernels: Kernels;
}

let open: Observatory | null = null;

/** The simulated observatory of this server, opened when first asked for. */
export function observatory(): Observatory {
  open ??= { night: createNight(DEMO), kernels: loadKernels() };
  return open;
}

function loadKernels(): Kernels {
  try {
    return createWasmKernels(new Uint8Array(readFileSync(join(process.cwd(), "core/kernels/kernels.wasm"))));
  } catch {
    return createPlainKernels(); // the same numbers, slower
  }
}

export function fitsResponse(bytes: Uint8Array, name: string): Response {
  return new Response(bytes as BodyInit, {
    headers: {
      "Content-Type": "application/fits",
      "Content-Disposition": `inline; filename="${name}"`,
      "Cache-Control": "no-store",
    },
  });
}
