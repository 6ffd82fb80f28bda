import { writeFileSync } from "node:fs";
import { z } from "zod";
import { UserError } from "@/core/job";
import type { SubFacts } from "@/core/stack";
import { stackSettings } from "@/core/stack";
import type { FrameRef } from "@/engine/frames";
import { PRIORITY } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import { makeStack } from "@/engine/stackJob";
import { checkOptions, parseArguments } from "./arguments";
import { createProgress } from "./progress";
import { fileRef, withPool, writeBlob } from "./session";

const options = z.object({
  out: z.string({ error: "a file to write to is needed" }),
  reject: stackSettings.shape.reject,
  low: z.coerce.number().min(0.5).max(20).default(3),
  high: z.coerce.number().min(0.5).max(20).default(3),
  memory: z.coerce.number().min(64).max(65536).default(1024),
});

/** stack: measures, registers and stacks subs; writes the stack, its halves, its coverage and its report. */
export async function stack(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, ["out", "reject", "low", "high", "memory"]);
  const { out, reject, low, high, memory } = checkOptions(options, given);
  if (files.length === 0) throw new UserError("no subs are given", "Name the FITS files to stack.");
  const settings = stackSettings.parse({ reject, lowSigma: low, highSigma: high, memoryMiB: memory });
  return withPool(async (pool) => {
    const refs = await Promise.all(files.map(fileRef));
    const progress = createProgress("Measuring");
    let measured = 0;
    const failures: { file: string; reason: string }[] = [];
    let object: string | null = null;
    const read = await Promise.all(
      refs.map(async (frame, i): Promise<{ facts: SubFacts; frame: FrameRef } | null> => {
        try {
          const reading = await pool.run("measureSub", { frame }, { priority: PRIORITY.measure });
          object ??= reading.metadata.object;
          const { width, height, channels, measures, stars, metadata } = reading;
          const facts = {
            id: frame.id,
            name: files[i],
            width,
            height,
            channels,
            exposureS: metadata.exposureS,
            measures,
            stars,
          };
          return { facts, frame };
        } catch (error) {
          failures.push({ file: files[i], reason: failureOf(error).message });
          return null;
        } finally {
          progress(++measured / refs.length);
        }
      }),
    );
    const good = read.flatMap((item) => (item ? [item] : []));
    if (good.length === 0) throw new UserError(`no sub could be read: ${failures[0].reason}`, "Choose other files.");
    const report = createProgress("Stacking");
    const frames = new Map(good.map(({ frame }) => [frame.id, frame]));
    const made = await makeStack(
      pool,
      { subs: good.map(({ facts }) => facts), frames, settings, object },
      { onProgress: report },
    );
    const base = out.replace(/\.fits?$/i, "");
    await writeBlob(out, made.mean);
    await writeBlob(`${base}.a.fits`, made.a);
    await writeBlob(`${base}.b.fits`, made.b);
    await writeBlob(`${base}.coverage.fits`, made.coverage);
    const { facts } = made;
    const json = { ...made.report, unreadable: failures, settings, facts };
    writeFileSync(`${base}.json`, JSON.stringify(json, null, 1));
    return { out, ...json };
  });
}
