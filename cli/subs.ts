import { writeFile } from "node:fs/promises";
import { join } from "node:path";
import * as z from "zod";
import { DEMOSAICS, calibrationSettings, darkScaleOf } from "@/core/calibrate";
import { CFA_PATTERNS, PRODUCT_WORDS } from "@/core/formats";
import { UserError } from "@/core/job";
import type { SubFacts } from "@/core/stack";
import { withCalibration } from "@/engine/calibration";
import type { FrameRef } from "@/engine/frames";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import type { FileReading, SubReading } from "@/engine/tasks/subs";
import type { Failure, OpenedFile } from "./files";
import { openFiles } from "./files";
import { mismatchesTo } from "./masters";
import { temporaryFolder } from "./outputs";
import { createProgress } from "./progress";
import type { ReadingStore } from "./readings";

/** Options of commands that take lights: masters that raw ones go through, and how colour mosaics among them become colours. */
export const lightOptions = {
  bias: z.string().optional(),
  dark: z.string().optional(),
  flat: z.string().optional(),
  demosaic: z.enum(DEMOSAICS.map(({ id }) => id) as [string, ...string[]]).optional(),
  /** "none": the frames are grey, whatever they look like. */
  pattern: z.enum([...CFA_PATTERNS, "none"]).optional(),
};
export type LightOptions = { [K in keyof typeof lightOptions]?: z.infer<(typeof lightOptions)[K]> };

/** The masters that were named, opened. */
type Masters = Record<"bias" | "dark" | "flat", OpenedFile | null>;

export interface MeasuredSub {
  facts: SubFacts;
  frame: FrameRef;
  reading: FileReading;
  measured: SubReading;
}

/** A light as it is measured and stacked: through its masters, a mosaic through its colours, anything else as it came. */
function asStacked(
  frame: FrameRef,
  { reading }: Pick<OpenedFile, "reading">,
  wanted: LightOptions,
  { bias, dark, flat }: Masters,
): FrameRef {
  const told = reading.channels !== 1 || wanted.pattern === "none" ? null : (wanted.pattern ?? reading.metadata.cfa);
  if (told === null && !bias && !dark && !flat) return frame;
  const settings = calibrationSettings.parse(wanted.demosaic ? { demosaic: wanted.demosaic } : {});
  const masters = { bias: bias?.frame ?? null, dark: dark?.frame ?? null, flat: flat?.frame ?? null };
  const darkScale = darkScaleOf(reading.metadata.exposureS, dark?.reading.metadata.exposureS);
  return withCalibration(frame, { ...masters, settings, darkScale, pattern: told });
}

/** Files that are no subs: those that could not be read, and those that say that they are something else. */
export interface Rest {
  unreadable: Failure[];
  leftAside: Failure[];
  /** In what the masters do not fit the lights. */
  warnings: string[];
  /** How long reading and measuring took. */
  seconds: number;
}

/** Why a file is not taken for a light; none for a light. Nothing that was made of lights is stacked with them. */
function asideOf({ path, reading: { metadata } }: OpenedFile): Failure[] {
  const { product, frameType } = metadata;
  if (product !== null) return [{ file: path, reason: `is ${PRODUCT_WORDS[product]}, by its header, and no light` }];
  if (frameType !== null && frameType !== "light")
    return [
      { file: path, reason: `is a ${frameType === "darkflat" ? "dark-flat" : frameType}, by its header, and no light` },
    ];
  return [];
}

/**
 * Opens and measures subs for `work`, but those whose readings are kept. Files that must be decoded whole are unpacked once into a temporary folder, which is removed
 * afterwards.
 */
export async function withSubs<T>(
  pool: WorkerPool,
  paths: string[],
  wanted: LightOptions,
  readings: ReadingStore,
  work: (subs: MeasuredSub[], rest: Rest) => Promise<T>,
): Promise<T> {
  const { folder, remove } = await temporaryFolder();
  const started = Date.now();
  try {
    const progress = createProgress("Measuring");
    const one = async (path: string | undefined) =>
      path === undefined ? null : (await openFiles(pool, [path])).opened[0];
    const masters = { bias: await one(wanted.bias), dark: await one(wanted.dark), flat: await one(wanted.flat) };
    const warnings = new Set<string>();
    const { opened, failures } = await openFiles(pool, paths);
    const aside = opened.flatMap(asideOf);
    const lights = opened.filter((file) => asideOf(file).length === 0);
    let measured = 0;
    const read = await Promise.all(
      lights.map(async (file, i): Promise<MeasuredSub | null> => {
        const { path, frame: given, reading } = file;
        try {
          if (reading.frames > 1)
            throw new UserError(`${path}: a video of ${reading.frames} frames is not a sub`, "Grade it by itself.");
          let frame = given;
          if (!reading.randomAccess) {
            const unpacked = join(folder, `${i}.fits`);
            await writeFile(unpacked, await pool.run("unpack", { frame: given }));
            frame = { id: given.id, name: given.name, kind: "file", path: unpacked, fileId: `${given.id} unpacked` };
          }
          for (const text of await mismatchesTo(pool, file, masters, false)) warnings.add(text);
          frame = asStacked(frame, file, wanted, masters);
          const known = await readings.load(frame);
          const own = known ?? (await pool.run("measureSub", { frame }, { priority: PRIORITY.measure }));
          // A folder that cannot be written to only costs time, the next time.
          if (!known) await readings.save(frame, own).catch(() => undefined);
          const { width, height, channels, measures, stars, unit } = own;
          const facts: SubFacts = {
            id: frame.id,
            name: path,
            width,
            height,
            channels,
            measures,
            stars,
            unit,
            exposureS: reading.metadata.exposureS,
            metadata: reading.metadata,
            mosaic: channels === 1 && wanted.pattern !== "none" && measures.looksMosaic,
          };
          return { facts, frame, reading, measured: own };
        } catch (error) {
          failures.push({ file: path, reason: failureOf(error).message });
          return null;
        } finally {
          progress(++measured / lights.length);
        }
      }),
    );
    const subs = read.flatMap((item) => item ?? []);
    if (subs.length === 0)
      throw new UserError(`no sub could be read: ${(failures[0] ?? aside[0])?.reason}`, "Choose other files.");
    return await work(subs, {
      unreadable: failures,
      leftAside: aside,
      warnings: [...warnings],
      seconds: (Date.now() - started) / 1000,
    });
  } finally {
    await remove();
  }
}
