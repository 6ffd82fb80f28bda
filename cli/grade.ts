import { writeFile } from "node:fs/promises";
import { z } from "zod";
import type { GradedFrame } from "@/core/choose";
import { applyRules, flagsOf, fullLightOf, measuresCsv, proposeReference } from "@/core/choose";
import { calibrationSettings } from "@/core/calibrate";
import { UserError } from "@/core/job";
import { relateDiscs } from "@/core/stack";
import type { WorkerPool } from "@/engine/pool";
import type { ResultOf } from "@/engine/tasks/registry";
import { PRIORITY } from "@/engine/pool";
import { withCalibration } from "@/engine/calibration";
import { relativeWeights } from "@/engine/grade";
import { checkOptions, parseArguments } from "./arguments";
import { createProgress } from "./progress";
import { withPool } from "./session";
import type { OpenedFile } from "./subs";
import type { FileReading } from "@/engine/tasks/subs";
import { mosaicOptions, openFiles, withSubs } from "./subs";

const options = z.object({
  out: z.string({ error: "a CSV file to write to is needed" }),
  reference: z.string().optional(),
  ...mosaicOptions,
});

/** grade: measures subs against a reference, or the frames of videos, and writes every measure as CSV. */
export async function grade(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, Object.keys(options.shape));
  const { out, reference: asked, ...mosaic } = checkOptions(options, given);
  if (files.length === 0)
    throw new UserError("no subs are given", "Name the subs to grade, or the video whose frames to rank.");
  const all = asked === undefined || files.includes(asked) ? files : [...files, asked];
  return withPool(async (pool) => {
    const { opened, failures: unread } = await openFiles(pool, all);
    const videos = opened.filter(({ reading }) => reading.frames > 1);
    if (videos.length > 0 && videos.length === opened.length) {
      const frames = (await Promise.all(videos.map((video) => videoFrames(pool, video)))).flat();
      await writeCsv(out, frames);
      const proposal = proposeReference(frames);
      const reference = frames.find(({ id }) => id === proposal?.id)?.name;
      return { out, frames: frames.length, reference, reasons: proposal?.reasons ?? [], unreadable: unread };
    }
    return withSubs(pool, all, mosaic, async (subs, failures) => {
      const graded = (relations: Map<string, GradedFrame["relation"]>, to: string | null = null): GradedFrame[] => {
        const fullLight = fullLightOf(
          subs.map(({ facts: { id }, reading: { metadata } }) => ({
            ...{ id, metadata },
            relation: relations.get(id) ?? null,
          })),
          to,
        );
        const weights = relativeWeights(
          subs.map(({ facts }) => ({
            id: facts.id,
            measures: facts.measures,
            relation: relations.get(facts.id) ?? null,
          })),
        );
        return subs.map(({ facts, reading, measured }, order) => ({
          id: facts.id,
          name: facts.name,
          order,
          width: facts.width,
          height: facts.height,
          unit: measured.unit,
          metadata: reading.metadata,
          pixelScale: reading.pixelScale,
          measures: facts.measures,
          video: null,
          relation: relations.get(facts.id) ?? null,
          fullLight: fullLight.get(facts.id) ?? 1,
          weight: weights.get(facts.id) ?? null,
          patchDifference: null,
        }));
      };
      const relateTo = async (id: string) => {
        const reference = subs.find(({ facts }) => facts.id === id)?.facts;
        if (!reference) throw new UserError(`${asked}: could not be read`, "Choose another reference.");
        const found = new Map<string, GradedFrame["relation"]>();
        for (const { facts } of subs)
          found.set(facts.id, await pool.run("relate", { sub: facts, reference }, { priority: PRIORITY.measure }));
        return found;
      };
      // Weights need a relation, the proposal needs weights: first against the sharpest, then against the proposal.
      const sharpest = proposeReference(graded(new Map()))?.id ?? subs[0].facts.id;
      const first = asked === undefined ? graded(await relateTo(sharpest), sharpest) : [];
      const proposal = asked === undefined ? proposeReference(first) : null;
      const referenceId =
        asked === undefined ? (proposal?.id ?? sharpest) : subs.find(({ facts }) => facts.name === asked)?.facts.id;
      const frames = graded(await relateTo(referenceId ?? ""), referenceId ?? null);
      await writeCsv(out, frames);
      return {
        out,
        subs: frames.length,
        reference: frames.find(({ id }) => id === referenceId)?.name,
        reasons: proposal?.reasons ?? [],
        flagged: frames.flatMap((frame) => {
          const flags = flagsOf(frame);
          return flags.length > 0 ? [{ file: frame.name, flags }] : [];
        }),
        unmatched: frames.filter(({ relation }) => relation === null).map(({ name }) => name),
        unreadable: failures,
      };
    });
  });
}

async function writeCsv(out: string, frames: GradedFrame[]): Promise<void> {
  await writeFile(out, measuresCsv(frames, applyRules(frames, new Map(), []))).catch((error: Error) => {
    throw new UserError(`${out}: cannot be written (${error.message})`, "Check the folder.");
  });
}

/** Frames have times of their own where the video has them. */
function frameDate({ times, metadata }: FileReading, index: number): string | null {
  const ms = times[index] ?? null;
  return ms === null ? metadata.date : new Date(ms).toISOString().slice(0, 23);
}

/** Frames of a video that are measured in one job. */
const BATCH = 64;

/** The frames of a video with their measures; its sharpest frame is what the others are compared with. */
async function videoFrames(pool: WorkerPool, { path, frame, reading }: OpenedFile): Promise<GradedFrame[]> {
  const pattern = reading.channels === 1 ? reading.metadata.cfa : null;
  const settings = calibrationSettings.parse({ hotSigma: 0 });
  const none = { bias: null, dark: null, flat: null, darkScale: 1 };
  const file = pattern === null ? frame : withCalibration(frame, { ...none, settings, pattern });
  const progress = createProgress(`Measuring ${path}`);
  const measured: ResultOf<"measureVideo"> = [];
  for (let from = 0; from < reading.frames; from += BATCH) {
    const to = Math.min(reading.frames, from + BATCH);
    measured.push(...(await pool.run("measureVideo", { file, from, to }, { priority: PRIORITY.measure })));
    progress(to / reading.frames);
  }
  const discs = measured.map((own) => ({ measures: own.reading.measures, video: own.video }));
  const sharpest = discs.reduce((a, b) => (b.video.quality > a.video.quality ? b : a));
  return discs.map(({ measures, video }, index) => ({
    id: `${path} ${index}`,
    name: `${path} ${index + 1}`,
    order: index,
    ...{ width: reading.width, height: reading.height, unit: measured[index].reading.unit },
    metadata: { ...reading.metadata, date: frameDate(reading, index) },
    pixelScale: reading.pixelScale,
    ...{ measures, video },
    relation: relateDiscs({ measures, video }, sharpest),
    fullLight: 1,
    weight: null,
    patchDifference: null,
  }));
}
