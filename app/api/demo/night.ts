import { readFileSync } from "node:fs";
import { join } from "node:path";
import * as z from "zod";
import type { Kernels } from "@/core/kernels";
import { createPlainKernels, createWasmKernels } from "@/core/kernels";
import type { Night, RawNight } from "@/core/simulate";
import { createNight, createRawNight, createVideo, subFile, videoFile } from "@/core/simulate";

/** The night that the demo shows: 22 subs of the Weir Nebula field. */
const DEMO = { subs: 22, seed: 41, width: 900, height: 600 };

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

const made = new Map<number, Uint8Array>();

/** A sub of the demo's night as a FITS file; simulated once, since every visit asks for the same. */
export function demoSub(index: number): Uint8Array {
  const { night, kernels } = observatory();
  const file = made.get(index) ?? subFile(night, index, kernels);
  made.set(index, file);
  return file;
}

/** A night as it leaves the camera: a colour filter array, and frames to calibrate with. */
const RAW = { subs: 10, darks: 10, flats: 10, bias: 12, seed: 23, width: 900, height: 600, cfa: "RGGB" as const };

let raw: RawNight | null = null;

export function rawObservatory(): { night: RawNight; kernels: Kernels } {
  raw ??= createRawNight(RAW);
  return { night: raw, kernels: observatory().kernels };
}

/** A frame's number in an address: digits and nothing else, from 0 to `most`. */
export const frameNumber = (most: number) =>
  z
    .string()
    .regex(/^\d{1,9}$/)
    .transform(Number)
    .pipe(z.number().max(most));

/** A video of the planet Oru as one SER file, frame by frame, so that the server answers others meanwhile. */
export function demoVideo(): ReadableStream<Uint8Array> {
  const parts = videoFile(createVideo({ frames: 240, seed: 12, width: 320, height: 280 }), observatory().kernels);
  return new ReadableStream({
    async pull(controller) {
      await new Promise((resolve) => setImmediate(resolve));
      const { done, value } = parts.next();
      if (done) controller.close();
      else controller.enqueue(value);
    },
  });
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
