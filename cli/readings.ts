import { createHash } from "node:crypto";
import { mkdir, readFile, rename, writeFile } from "node:fs/promises";
import { join } from "node:path";
import * as z from "zod";
import { levelsSchema } from "@/core/facts";
import { frameUnit } from "@/core/formats";
import { listedStar, subMeasures } from "@/core/measure";
import { CREATOR } from "@/core/version";
import type { FrameRef } from "@/engine/frames";
import type { SubReading } from "@/engine/tasks/subs";

const reading = z.object({
  width: z.number().int(),
  height: z.number().int(),
  channels: z.number().int(),
  measures: subMeasures,
  stars: z.array(listedStar),
  stretch: levelsSchema,
  unit: frameUnit,
});

/** Names of readings in a folder that they share with strips. */
export const READING = "reading-";

/** Where measured subs wait until their stack is written. */
export interface ReadingStore {
  load(frame: FrameRef): Promise<SubReading | null>;
  save(frame: FrameRef, measured: SubReading): Promise<void>;
}

/** Keeps nothing: every sub is measured. */
export const NO_READINGS: ReadingStore = { load: () => Promise.resolve(null), save: () => Promise.resolve() };

/** Measured subs in a folder, by the ids of their frames (file, time of change, calibration) and this version. One that cannot be read is measured anew. */
export function readingFolder(folder: string): ReadingStore {
  const pathOf = ({ id }: FrameRef): string =>
    join(folder, `${READING}${createHash("sha256").update(`${CREATOR} ${id}`).digest("hex").slice(0, 32)}`);
  return {
    load: async (frame) => {
      try {
        return reading.parse(JSON.parse(await readFile(`${pathOf(frame)}.json`, "utf8")));
      } catch {
        return null;
      }
    },
    save: async (frame, measured) => {
      await mkdir(folder, { recursive: true });
      await writeFile(`${pathOf(frame)}.part`, JSON.stringify(measured));
      await rename(`${pathOf(frame)}.part`, `${pathOf(frame)}.json`);
    },
  };
}
