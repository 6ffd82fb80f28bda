import * as z from "zod";
import { createVideo, videoFile } from "@/core/simulate";
import { loadKernels } from "./observatory";

/** A frame's number in an address: digits and nothing else, from 0 to `most`. */
export const frameNumber = (most: number) =>
  z
    .string()
    .regex(/^\d{1,9}$/)
    .transform(Number)
    .pipe(z.number().max(most));

/** A video of the planet Oru as one SER file, frame by frame, so that the server answers others meanwhile. */
export function demoVideo(): ReadableStream<Uint8Array> {
  const parts = videoFile(createVideo({ frames: 240, seed: 12, width: 320, height: 280 }), loadKernels());
  return new ReadableStream({
    async pull(controller) {
      await new Promise((resolve) => setImmediate(resolve));
      const { done, value } = parts.next();
      if (done) controller.close();
      else controller.enqueue(value);
    },
  });
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

export function jsonResponse(bytes: Uint8Array): Response {
  return new Response(bytes as BodyInit, { headers: { "Content-Type": "application/json" } });
}
