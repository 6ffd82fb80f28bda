import { createXXHash64 } from "hash-wasm";
import type { FrameRef } from "../frames";
import type { Task } from "./task";

const CHUNK = 4 * 2 ** 20;

/** A hash of a whole file's bytes, by which the same file is known again whatever its name (xxHash 64, package hash-wasm). */
export const hashFile: Task<{ frame: FrameRef }, string> = {
  owned: async ({ frame }, context) => {
    const bytes = await context.frames.bytes(frame);
    const hash = await createXXHash64();
    for (let at = 0; at < bytes.size; at += CHUNK) {
      await context.job.breathe();
      hash.update(await bytes.read(at, Math.min(CHUNK, bytes.size - at)));
    }
    return hash.digest("hex");
  },
};
