import * as z from "zod";
import type { GradedFrame, LoneFrame } from "@/core/choose";
import { applyRules, flagsOf, fullLightOf, gradeFrames, measuresCsv, proposeReference } from "@/core/choose";
import { calibrationSettings } from "@/core/calibrate";
import { UserError } from "@/core/job";
import type { RelatableLight } from "@/engine/jobs/grading";
import { relateLights } from "@/engine/jobs/grading";
import { measureFrames } from "@/engine/jobs/video";
import type { WorkerPool } from "@/engine/pool";
import { NO_MASTERS, withCalibration } from "@/engine/calibration";
import type { FileReading } from "@/engine/tasks/subs";
import { checkOptions, parseArguments } from "./arguments";
import { createProgress } from "./progress";
import { checkOutputs, writeWhole } from "./outputs";
import { checkInputs, withPool } from "./session";
import type { OpenedFile } from "./files";
import { openFiles } from "./files";
import type { MeasuredSub } from "./subs";
import { NO_READINGS } from "./readings";
import { lightOptions, withSubs } from "./subs";

const options = z.object({
  out: z.string({ error: "a CSV file to write to is needed" }),
  reference: z.string().optional(),
  ...lightOptions,
});

/** grade: measures subs against a reference, or the frames of videos, and writes every measure as CSV. */
export async function grade(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, Object.keys(options.shape));
  const { out, reference: asked, ...mosaic } = checkOptions(options, given);
  if (files.length === 0)
    throw new UserError("no subs are given", "Name the subs to grade, or the video whose frames to rank.");
  const all = asked === undefined || files.includes(asked) ? files : [...files, asked];
  await checkInputs([...all, mosaic.bias, mosaic.dark, mosaic.flat]);
  await checkOutputs([out], all);
  return withPool(async (pool) => {
    const { opened, failures: unread } = await openFiles(pool, all);
    const videos = opened.filter(({ reading }) => reading.frames > 1);
    if (videos.length > 0 && videos.length === opened.length) {
      const frames = (await Promise.all(videos.map((video) => framesOfVideo(pool, video)))).flat();
      await writeCsv(out, frames);
      const proposal = proposeReference(frames);
      const reference = frames.find(({ id }) => id === proposal?.id)?.name;
      return { out, frames: frames.length, reference, reasons: proposal?.reasons ?? [], unreadable: unread };
    }
    return withSubs(pool, all, mosaic, NO_READINGS, async (subs, rest) => {
      const wanted = asked === undefined ? null : subs.find(({ facts }) => facts.name === asked);
      if (wanted === undefined) throw new UserError(`${asked}: could not be read`, "Choose another reference.");
      const { frames, referenceId } = await related(pool, subs.map(lightOf), wanted?.facts.id ?? null);
      await writeCsv(out, frames);
      return {
        out,
        subs: frames.length,
        reference: frames.find(({ id }) => id === referenceId)?.name,
        reasons: asked === undefined ? (proposeReference(frames)?.reasons ?? []) : [],
        flagged: frames.flatMap((frame) => {
          const flags = flagsOf(frame);
          return flags.length > 0 ? [{ file: frame.name, flags }] : [];
        }),
        unmatched: frames.filter(({ relation }) => relation === null).map(({ name }) => name),
        ...rest,
      };
    });
  });
}

/** A light as it is related and graded. */
type Light = RelatableLight & { frame: Omit<LoneFrame, "relation"> };

function lightOf({ facts, reading, measured }: MeasuredSub, order: number): Light {
  const { id, name, width, height, measures, stars } = facts;
  const { metadata, pixelScale } = reading;
  const frame = {
    id,
    name,
    order,
    width,
    height,
    metadata,
    pixelScale,
    measures,
    unit: measured.unit,
    video: null,
    patchDifference: null,
  };
  return { id, measures, stars, video: null, relation: null, frame };
}

/** Lights against the reference that is asked for, or else the best of them. */
async function related(
  pool: WorkerPool,
  lights: Light[],
  asked: string | null,
): Promise<{ frames: GradedFrame[]; referenceId: string | null }> {
  let known = lights;
  const graded = (): GradedFrame[] => {
    const frames = known.map(({ frame, relation }) => ({ ...frame, relation: relation?.value ?? null }));
    return gradeFrames(frames, fullLightOf(frames, known.find(({ relation }) => relation)?.relation?.to ?? null));
  };
  const referenceId = () => asked ?? proposeReference(graded())?.id ?? known[0]?.id ?? null;
  await relateLights(
    pool,
    {
      lights: () => known,
      referenceId,
      keep: (found) => {
        known = known.map((light) => ({ ...light, relation: found.get(light.id) ?? light.relation }));
      },
    },
    { onProgress: createProgressOf("Matching stars") },
  );
  return { frames: graded(), referenceId: referenceId() };
}

function createProgressOf(doing: string): (done: number, of: number) => void {
  const progress = createProgress(doing);
  return (done, of) => progress(done / of);
}

const writeCsv = (out: string, frames: GradedFrame[]): Promise<void> =>
  writeWhole(out, measuresCsv(frames, applyRules(frames, new Map(), [])));

/** Frames have times of their own where the video has them. */
function frameDate({ times, metadata }: FileReading, index: number): string | null {
  const ms = times[index] ?? null;
  return ms === null ? metadata.date : new Date(ms).toISOString().slice(0, 23);
}

/** The frames of a video with their measures; its sharpest frame is what the others are compared with. */
async function framesOfVideo(pool: WorkerPool, { path, frame, reading }: OpenedFile): Promise<GradedFrame[]> {
  const pattern = reading.channels === 1 ? reading.metadata.cfa : null;
  const settings = calibrationSettings.parse({ hotSigma: 0 });
  const file = pattern === null ? frame : withCalibration(frame, { ...NO_MASTERS, settings, pattern });
  const measured = await measureFrames(pool, file, reading.frames, {
    onProgress: createProgress(`Measuring ${path}`),
  });
  const { width, height, pixelScale } = reading;
  const lights = measured.map(({ reading: own, video }, order): Light => {
    const id = `${path} ${order}`;
    const metadata = { ...reading.metadata, date: frameDate(reading, order) };
    const { measures, stars, unit } = own;
    const lone = {
      id,
      name: `${path} ${order + 1}`,
      order,
      width,
      height,
      metadata,
      pixelScale,
      measures,
      unit,
      video,
      patchDifference: null,
    };
    return { id, measures, stars, video, relation: null, frame: lone };
  });
  return (await related(pool, lights, null)).frames;
}
