import { existsSync, readFileSync } from "node:fs";
import { basename, resolve } from "node:path";
import * as z from "zod";
import { inWords, UserError } from "@/core/job";
import type { Warp } from "@/core/register";
import { matrixAt } from "@/core/register";
import type { Stage, StackSettings, SubFacts } from "@/core/stack";
import { chooseReference, stackParameters, stackSettings } from "@/core/stack";
import { makeStack } from "@/engine/jobs/stack";
import type { WorkerPool } from "@/engine/pool";
import { checkOptions, optionsOf, parseArguments, switchesOf, valuesOf, yes } from "./arguments";
import { createProgress } from "./progress";
import { checkOutputs, writeWhole } from "./outputs";
import { halfPaths } from "./picture";
import { readingFolder } from "./readings";
import { checkInputs, fileRef, withPool } from "./session";
import type { MeasuredSub, Rest } from "./subs";
import { stripFolder } from "./strips";
import { lightOptions, withSubs } from "./subs";

const options = z.object({
  out: z.string({ error: "a file to write to is needed" }),
  reference: z.string().optional(),
  "by-filter": yes.optional(),
  ...optionsOf(stackParameters),
  resume: yes.optional(),
  ...lightOptions,
});

/** What a report says of itself, so that no other file is taken for one. */
const REPORT_FORMAT = "dunkel-stack-report";

/**
 * stack: measures, registers and stacks subs; writes the stack, its halves, its coverage, what was rejected, and its report. With --by-filter a stack of
 * each filter, all on the pixels of one reference, so that they can be joined.
 */
export async function stack(args: string[]): Promise<unknown> {
  const switches = ["by-filter", ...switchesOf(stackParameters)];
  const { files, options: given } = parseArguments(args, Object.keys(options.shape), switches);
  // --keep "sharpness 30 %" says both at once.
  const both = /^(\w+)\s+(\d+)\s*%$/.exec(given.keep ?? "");
  if (both) Object.assign(given, { keep: both[1], "keep-share": String(Number(both[2]) / 100) });
  const {
    out,
    reference,
    demosaic,
    pattern,
    bias,
    dark,
    flat,
    resume,
    "by-filter": byFilter,
    ...wanted
  } = checkOptions(options, given);
  if (files.length === 0) throw new UserError("no subs are given", "Name the files to stack.");
  const base = stemOf(out);
  const all = reference === undefined || isAmong(files, reference) ? files : [...files, reference];
  const masters = { bias, dark, flat };
  await checkInputs([...all, bias, dark, flat]);
  const settingsFor = (referenceId: string | null): StackSettings =>
    stackSettings.parse({ ...valuesOf(stackParameters, wanted), referenceId });
  return withPool(async (pool) => {
    const filters = byFilter ? await filtersOf(pool, all) : null;
    const outs = filters ? filters.map((filter) => `${base}-${slugOf(filter)}.fits`) : [out];
    // All at once: two filters must not write to one file.
    await checkOutputs(
      outs.flatMap((one) => [one, reportOf(one)]),
      [...all, ...[bias, dark, flat].flatMap((master) => master ?? [])],
      outs.flatMap((one) => targetsOf(one).slice(1)),
    );
    for (const one of outs) checkReport(reportOf(one));
    // What an interrupted run left is gone on from, unless that is not wanted.
    if (resume === false) for (const one of [out, ...outs]) await stripFolder(stripsOf(one)).forget(null);
    const readings = readingFolder(stripsOf(out));
    return withSubs(pool, all, { demosaic, pattern, ...masters }, readings, async (subs, rest) => {
      const asked = reference === undefined ? null : askedReference(subs, reference);
      if (!filters) return stackOne(pool, subs, out, settingsFor(asked), rest);
      const facts = subs.map((sub) => sub.facts);
      const grid = facts.find(({ id }) => id === asked) ?? chooseReference(facts, settingsFor(null)) ?? undefined;
      const stacks = [];
      const missing: { filter: string; reason: string }[] = [];
      for (const [k, filter] of filters.entries()) {
        const own = subs.filter(({ facts: { metadata } }) => slugOf(metadata?.filter ?? "") === slugOf(filter));
        try {
          if (own.length === 0) throw new UserError("none of its subs can be read", "See what is wrong with each.");
          stacks.push({ filter, ...(await stackOne(pool, subs, outs[k], settingsFor(null), rest, own, grid)) });
        } catch (error) {
          // The others go on: who wants all of them joined hears which one is missing.
          if (!(error instanceof UserError)) throw error;
          missing.push({ filter, reason: error.message });
          process.stderr.write(`no stack of ${filter || "no filter"}: ${inWords(error.message, error.advice)}\n`);
        }
      }
      if (stacks.length === 0) throw new UserError(missing[0].reason, "No filter could be stacked.");
      await stripFolder(stripsOf(out)).forget(null);
      return { reference: grid?.name ?? null, stacks, missing };
    });
  });
}

/** One stack of `own` (all subs, if it is not given) with its files. */
async function stackOne(
  pool: WorkerPool,
  subs: MeasuredSub[],
  out: string,
  settings: StackSettings,
  rest: Rest,
  own: MeasuredSub[] = subs,
  grid?: SubFacts,
) {
  const frames = new Map(subs.map(({ frame }) => [frame.id, frame]));
  const strips = stripFolder(stripsOf(out));
  const measured: Stage = { stage: "measure", seconds: rest.seconds, peakBytes: mostBytes() };
  const made = await makeStack(
    pool,
    { subs: own.map(({ facts }) => facts), frames, settings, grid, strips },
    { onProgress: createProgress("Stacking") },
  );
  const pictures = [made.mean, made.a, made.b, made.coverage, made.rejected, made.rejectedBySub];
  const begun = Date.now();
  for (const [i, target] of targetsOf(out).entries()) await writeWhole(target, pictures[i]);
  const written: Stage = { stage: "write", seconds: (Date.now() - begun) / 1000, peakBytes: mostBytes() };
  const { seconds: _, ...others } = rest;
  await made.release();
  const { facts } = made;
  const matrixOf = (warp: Warp | null) => warp && matrixAt(warp, made.plan.width / 2, made.plan.height / 2);
  const listed = made.report.subs.map((sub) => ({ ...sub, matrix: matrixOf(sub.toReference) }));
  const report = {
    format: REPORT_FORMAT,
    ...made.report,
    subs: listed,
    stages: [measured, ...made.report.stages, written],
    ...others,
    settings,
    facts,
  };
  await writeWhole(reportOf(out), JSON.stringify(report, null, 1));
  return { out, ...report };
}

/** Most bytes that this process has held so far. */
const mostBytes = (): number => process.resourceUsage().maxRSS * 1024;

const stemOf = (out: string): string => out.replace(/\.fits?$/i, "");
const targetsOf = (out: string): string[] => [
  out,
  ...halfPaths(out),
  `${stemOf(out)}.coverage.fits`,
  `${stemOf(out)}.rejected.fits`,
  `${stemOf(out)}.rejected-by-sub.fits`,
];
/** What an interrupted run leaves, to go on from: strips of each stack, and readings of the subs. */
const stripsOf = (out: string): string => `${stemOf(out)}.strips`;
const reportOf = (out: string): string => `${stemOf(out)}.json`;

/** The filters that headers name, in the order in which they come; "" for none. Files that cannot be read are named later. */
async function filtersOf(pool: WorkerPool, files: string[]): Promise<string[]> {
  const found = new Map<string, string>();
  for (const file of files) {
    const reading = await pool.run("readFile", { frame: await fileRef(file) }).catch(() => null);
    const filter = reading?.metadata.filter ?? "";
    // "R" and "r" are one filter, and one file.
    if (reading && reading.metadata.product === null && !found.has(slugOf(filter))) found.set(slugOf(filter), filter);
  }
  return [...found.values()];
}

/** A filter as a part of a file's name. */
const slugOf = (filter: string): string => filter.replace(/[^\p{L}\p{N}]+/gu, "-").toLowerCase() || "no-filter";

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
