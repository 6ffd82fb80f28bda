import { writeFileSync } from "node:fs";
import { z } from "zod";
import { UserError } from "@/core/job";
import { stackSettings } from "@/core/stack";
import { makeStack } from "@/engine/stackJob";
import { checkOptions, parseArguments } from "./arguments";
import { createProgress } from "./progress";
import { withPool, writeBlob } from "./session";
import { withSubs } from "./subs";

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
  if (files.length === 0) throw new UserError("no subs are given", "Name the files to stack.");
  const settings = stackSettings.parse({ reject, lowSigma: low, highSigma: high, memoryMiB: memory });
  return withPool((pool) =>
    withSubs(pool, files, async (subs, failures) => {
      const report = createProgress("Stacking");
      const frames = new Map(subs.map(({ frame }) => [frame.id, frame]));
      const object = subs.find(({ reading }) => reading.metadata.object !== null)?.reading.metadata.object ?? null;
      const made = await makeStack(
        pool,
        { subs: subs.map(({ facts }) => facts), frames, settings, object },
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
    }),
  );
}
