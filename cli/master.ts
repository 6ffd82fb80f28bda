import * as z from "zod";
import { MASTER_SETTINGS, mismatchesOf, tolerances } from "@/core/calibrate";
import { UserError } from "@/core/job";
import { combineMaster } from "@/engine/jobs/masters";
import { checkOptions, parseArguments } from "./arguments";
import { createProgress } from "./progress";
import { checkOutputs, writeWhole } from "./outputs";
import { checkInputs, withPool } from "./session";
import { matched } from "./masters";
import { openFiles } from "./files";

const options = z.object({
  kind: z.enum(["bias", "dark", "flat", "darkflat"]),
  out: z.string({ error: "a file to write to is needed" }),
  bias: z.string().optional(),
  dark: z.string().optional(),
  by: z.enum(["mean", "median"]).default(MASTER_SETTINGS.by),
  low: z.coerce.number().min(0.5).max(20).default(MASTER_SETTINGS.lowSigma),
  high: z.coerce.number().min(0.5).max(20).default(MASTER_SETTINGS.highSigma),
});

/** master: combines bias, dark, flat or dark-flat frames; a flat is less its dark-flat (--dark) or bias. */
export async function master(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, ["kind", "out", "bias", "dark", "by", "low", "high"]);
  const { kind, out, bias, dark, by, low, high } = checkOptions(options, given);
  if (files.length === 0) throw new UserError("no frames are given", "Name the frames to combine.");
  if (kind !== "flat" && (bias ?? dark))
    throw new UserError(`--bias and --dark do nothing for a master ${kind}`, "Leave them out; they are for flats.");
  await checkInputs([...files, bias, dark]);
  await checkOutputs([out], [...files, ...[bias, dark].flatMap((file) => file ?? [])]);
  return withPool(async (pool) => {
    const { opened, failures } = await openFiles(pool, files);
    const first = opened[0].reading;
    const offset = dark ?? bias;
    const taken = offset === undefined ? null : (await openFiles(pool, [offset])).opened[0];
    const result = await combineMaster(
      pool,
      {
        kind,
        frames: opened.map(({ frame }) => frame),
        metadata: first.metadata,
        offset: taken?.frame ?? null,
        settings: { by, lowSigma: low, highSigma: high },
      },
      { onProgress: createProgress(`Master ${kind}`) },
    );
    await writeWhole(out, result.file);
    const warnings = taken
      ? mismatchesOf(
          dark ? "darkflat" : "bias",
          await matched(pool, dark ? "darkflat" : "bias", taken),
          await matched(pool, "flat", opened[0]),
          tolerances.parse({}),
        ).map(({ text }) => text)
      : [];
    const { width, height, channels, means } = result;
    return { out, kind, frames: opened.length, width, height, channels, means, warnings, unreadable: failures };
  });
}
