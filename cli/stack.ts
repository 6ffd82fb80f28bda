import { existsSync, readFileSync } from "node:fs";
import { basename, resolve } from "node:path";
import { z } from "zod";
import { UserError } from "@/core/job";
import type { Warp } from "@/core/register";
import { matrixAt } from "@/core/register";
import { stackParameters, stackSettings } from "@/core/stack";
import { makeStack } from "@/engine/jobs/stack";
import { checkOptions, optionsOf, parseArguments, switchesOf, valuesOf } from "./arguments";
import { createProgress } from "./progress";
import { checkOutputs, writeWhole } from "./outputs";
import { halfPaths } from "./picture";
import { checkInputs, withPool } from "./session";
import type { MeasuredSub } from "./subs";
import { stripFolder } from "./strips";
import { mosaicOptions, withSubs } from "./subs";

const options = z.object({
  out: z.string({ error: "a file to write to is needed" }),
  reference: z.string().optional(),
  ...optionsOf(stackParameters),
  ...mosaicOptions,
});

/** What a report says of itself, so that no other file is taken for one. */
const REPORT_FORMAT = "dunkel-stack-report";

/** stack: measures, registers and stacks subs; writes the stack, its halves, its coverage, what was rejected, and its report. */
export async function stack(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, Object.keys(options.shape), switchesOf(stackParameters));
  const { out, reference, demosaic, pattern, ...wanted } = checkOptions(options, given);
  if (files.length === 0) throw new UserError("no subs are given", "Name the files to stack.");
  const base = out.replace(/\.fits?$/i, "");
  const targets = [out, ...halfPaths(out), `${base}.coverage.fits`, `${base}.rejected.fits`];
  const all = reference === undefined || isAmong(files, reference) ? files : [...files, reference];
  await checkInputs(all);
  await checkOutputs([...targets, `${base}.json`], all);
  checkReport(`${base}.json`);
  return withPool((pool) =>
    withSubs(pool, all, { demosaic, pattern }, async (subs, rest) => {
      const frames = new Map(subs.map(({ frame }) => [frame.id, frame]));
      const settings = stackSettings.parse({
        ...valuesOf(stackParameters, wanted),
        referenceId: reference === undefined ? null : askedReference(subs, reference),
      });
      const made = await makeStack(
        pool,
        { subs: subs.map(({ facts }) => facts), frames, settings, strips: stripFolder(`${base}.strips`) },
        { onProgress: createProgress("Stacking") },
      );
      for (const [i, picture] of [made.mean, made.a, made.b, made.coverage, made.rejected].entries())
        await writeWhole(targets[i], picture);
      await made.release();
      const { facts } = made;
      const matrixOf = (warp: Warp | null) => warp && matrixAt(warp, made.plan.width / 2, made.plan.height / 2);
      const listed = made.report.subs.map((sub) => ({ ...sub, matrix: matrixOf(sub.toReference) }));
      const report = { format: REPORT_FORMAT, ...made.report, subs: listed, ...rest, settings, facts };
      await writeWhole(`${base}.json`, JSON.stringify(report, null, 1));
      return { out, ...report };
    }),
  );
}

const isAmong = (files: string[], file: string): boolean => files.some((other) => resolve(other) === resolve(file));

function askedReference(subs: MeasuredSub[], reference: string): string {
  const found = subs.find(({ facts }) => resolve(facts.name) === resolve(reference));
  if (!found) throw new UserError(`--reference ${reference}: could not be read`, "Choose another reference.");
  return found.facts.id;
}

/** No JSON file is overwritten that is not a report of this command. */
function checkReport(report: string): void {
  if (!existsSync(report)) return;
  let known: unknown = null;
  try {
    known = JSON.parse(readFileSync(report, "utf8"));
  } catch {
    // No JSON: not ours.
  }
  const ours = z.union([
    z.object({ format: z.literal(REPORT_FORMAT) }),
    z.object({ referenceName: z.string(), subsUsed: z.number() }),
  ]);
  if (!ours.safeParse(known).success)
    throw new UserError(
      `${basename(report)}: is there already and is no report of a stack`,
      "Choose another name for --out, or move that file away.",
    );
}
