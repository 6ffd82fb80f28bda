import { readFileSync } from "node:fs";
import { join } from "node:path";
import type { Kernels } from "@/core/kernels";
import { createPlainKernels, createWasmKernels } from "@/core/kernels";
import type { Night, RawNight } from "@/core/simulate";
import { createNight, createRawNight, manifestOf, rawFile, rawManifest, subFile, truthFile } from "@/core/simulate";

/** What can be asked of the demo's nights; a frame by its place in the manifest. */
export type Asked =
  | { what: "manifest" }
  | { what: "sub"; index: number }
  | { what: "truth" }
  | { what: "raw manifest" }
  | { what: "raw frame"; index: number };

/** The night that the demo shows: 22 subs of the Weir Nebula field. */
export const DEMO = { subs: 22, seed: 41, width: 900, height: 600 };

/** A night as it leaves the camera: a colour filter array, and frames to calibrate with. */
const RAW = { subs: 10, darks: 10, flats: 10, bias: 12, seed: 23, width: 900, height: 600, cfa: "RGGB" as const };
export const RAW_FRAMES = RAW.subs + RAW.darks + RAW.flats + RAW.bias;

/** The simulated observatory: nights are planned when they are first asked for. */
export class Observatory {
  private readonly kernels = loadKernels();
  private night: Night | null = null;
  private raw: RawNight | null = null;

  /** A FITS file, or a manifest as JSON. */
  answer(asked: Asked): Uint8Array {
    switch (asked.what) {
      case "manifest":
        return asJson(manifestOf(this.openNight()));
      case "sub":
        return subFile(this.openNight(), asked.index, this.kernels);
      case "truth":
        return truthFile(this.openNight(), this.kernels);
      case "raw manifest": {
        const { frames, ...rest } = rawManifest(this.openRaw());
        return asJson({ ...rest, frames: frames.map((frame, index) => ({ ...frame, index })) });
      }
      case "raw frame":
        return rawFile(this.openRaw(), this.openRaw().files[asked.index], this.kernels);
    }
  }

  private openNight(): Night {
    return (this.night ??= createNight(DEMO));
  }

  private openRaw(): RawNight {
    return (this.raw ??= createRawNight(RAW));
  }
}

export function loadKernels(): Kernels {
  try {
    return createWasmKernels(new Uint8Array(readFileSync(join(process.cwd(), "core/kernels/kernels.wasm"))));
  } catch {
    return createPlainKernels(); // the same numbers, slower
  }
}

const asJson = (value: unknown): Uint8Array => new TextEncoder().encode(JSON.stringify(value));
