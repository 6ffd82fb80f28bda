import { basename } from "node:path";
import * as z from "zod";
import { decidingStep, laneMeasuresCsv, starShapeOf } from "@/core/compare";
import type { EqualMeasure, PictureFacts } from "@/core/compare";
import { chainToJson, chainWords } from "@/core/chain";
import { aduPerSample, toSample } from "@/core/formats";
import { UserError } from "@/core/job";
import { DEFAULT_DISPLAY } from "@/core/display";
import { findOperation } from "@/core/operations";
import type { Region } from "@/core/raster";
import type { WorkerPool } from "@/engine/pool";
import { evidenceOfPlace, wholeEvidence } from "@/engine/jobs/evidence";
import { inspectStack } from "@/engine/jobs/inspect";
import { prepareTreatment } from "@/engine/jobs/render";
import type { EqualSubject } from "@/engine/jobs/equal";
import { equalStrength, readEqual } from "@/engine/jobs/equal";
import { makeSheet, shownByOne } from "@/engine/jobs/sheet";
import type { Treatment } from "@/engine/tasks/crop";
import { checkOptions, parseArguments, regionOf, regionOption, valuesOfRepeated } from "./arguments";
import { readChain } from "./chains";
import { checkOutputs, writeWhole } from "./outputs";
import { halfPaths, halvesBeside } from "./picture";
import { createProgress } from "./progress";
import { checkInputs, fileRef, withPool } from "./session";

/** Side of the crops, and of the squares in which lanes are made equal, px. */
const [CROP_SIDE, EQUAL_SIDE] = [256, 192];

/** A stack with chains as lanes A, B, C … */
interface Lanes {
  facts: PictureFacts;
  lanes: { letter: string; path: string; treatment: Treatment }[];
}

async function openLanes(pool: WorkerPool, file: string, chains: readonly string[]): Promise<Lanes> {
  const picture = await fileRef(file);
  const halves = await halvesBeside(file);
  const facts = await inspectStack(pool, { picture, halves });
  const fullScale = toSample(facts.unit, facts.unit.fullScale);
  const lanes = [];
  for (const [k, path] of chains.entries()) {
    const { steps } = readChain(path);
    const treatment = await prepareTreatment(pool, { picture, halves, fill: facts.fill, fullScale, steps });
    lanes.push({ letter: String.fromCharCode(65 + k), path, treatment });
  }
  return { facts, lanes };
}

/** Places "x,y", or "auto" for those that the picture proposes. */
function spotsOf(asked: readonly string[], { spots, width, height }: PictureFacts): PictureFacts["spots"] {
  if (asked.length === 0 || (asked.length === 1 && asked[0] === "auto")) {
    if (spots.length > 0) return spots;
    return [{ name: "Middle", x: Math.round(width / 2), y: Math.round(height / 2) }];
  }
  return asked.map((text, k) => {
    const match = /^(\d+),(\d+)$/.exec(text);
    const [x, y] = [Number(match?.[1]), Number(match?.[2])];
    if (!match || x >= width || y >= height)
      throw new UserError(
        `--spots: “${text}” is no place of the picture`,
        `Write auto, or x,y inside ${width}×${height}.`,
      );
    return { name: `Spot ${k + 1}`, x, y };
  });
}

const around = ({ x, y }: { x: number; y: number }, side: number): Region => ({
  x: Math.round(x) - side / 2,
  y: Math.round(y) - side / 2,
  width: side,
  height: side,
});

function oneFile(files: readonly string[], command: string): string {
  if (files.length !== 1)
    throw new UserError("one FITS file is needed", `Write: ${command} FILE.fits --chain a.json ….`);
  return files[0];
}

function chainsOf(text: string | undefined, least: number): string[] {
  const chains = valuesOfRepeated(text);
  if (chains.length < least)
    throw new UserError(
      `--chain: ${least} or more are needed, ${chains.length} given`,
      "Give --chain once for each lane.",
    );
  if (chains.length > 26) throw new UserError("--chain: more than 26 lanes", "Compare fewer at a time.");
  return chains;
}

const compareOptions = z.object({
  out: z.string({ error: "an HTML file to write to is needed" }),
  csv: z.string().optional(),
  title: z.string().max(200).optional(),
});

/** compare: chains on a stack as lanes, at spots: a sheet, and the measures as CSV. */
export async function compare(args: string[]): Promise<unknown> {
  const { files, options } = parseArguments(args, ["chain", "spots", "out", "csv", "title"], [], ["chain", "spots"]);
  const file = oneFile(files, "compare");
  const chains = chainsOf(options.chain, 1);
  const { out, csv, title } = checkOptions(compareOptions, options);
  await checkInputs(files);
  await checkOutputs(csv ? [out, csv] : [out], [file, ...chains, ...halfPaths(file)]);
  return withPool(async (pool) => {
    const { facts, lanes } = await openLanes(pool, file, chains);
    const spots = spotsOf(valuesOfRepeated(options.spots), facts);
    const { html, measures } = await makeSheet(
      pool,
      {
        title: title ?? basename(file),
        lanes: lanes.map(({ letter, treatment }) => ({
          letter,
          treatment,
          facts,
          stackId: file,
          stackName: basename(file),
          integrationS: null,
          shownBy: { display: DEFAULT_DISPLAY, levels: facts.stretch },
          regionOf: (spot) => around(spot, CROP_SIDE),
          onto: () => null,
        })),
        spots: spots.map((spot) => ({ ...spot, verdict: "" })),
        shown: shownByOne(DEFAULT_DISPLAY),
        verdict: "",
        note: "",
        journal: [],
      },
      { onProgress: createProgress("Comparing") },
    );
    await writeWhole(out, new Blob([html]));
    const rows = spots.flatMap(({ name }, s) =>
      lanes.map(({ letter, treatment }, k) => ({
        lane: letter,
        chain: chainWords(treatment.steps),
        spot: name,
        values: measures[s][k],
      })),
    );
    const { unit } = facts;
    const told =
      unit.name === "e-"
        ? { unit: "e-", perSample: unit.storedPerUnit }
        : { unit: "ADU", perSample: aduPerSample(unit) };
    if (csv) await writeWhole(csv, new Blob([laneMeasuresCsv(rows, told)]));
    return { out, csv: csv ?? null, spots, lanes: lanes.map(({ letter, path }) => ({ letter, path })), measures: rows };
  });
}

const equalOptions = z.object({
  to: z.string().default("A"),
  measure: z.enum(["noise", "width"]).default("noise"),
  scale: z.enum(["all", "1", "2", "4", "8"]).default("all"),
  "out-dir": z.string({ error: "a folder for the chains is needed" }),
});

/** equal: the strengths at which chains leave the same noise, or stars of the same width; the chains with them are written. */
export async function equal(args: string[]): Promise<unknown> {
  const known = ["chain", "spots", "to", "measure", "scale", "out-dir"];
  const { files, options } = parseArguments(args, known, [], ["chain", "spots"]);
  const file = oneFile(files, "equal");
  const chains = chainsOf(options.chain, 1);
  const { to, measure: of, scale, "out-dir": folder } = checkOptions(equalOptions, options);
  const measure: EqualMeasure =
    of === "width" ? { of } : { of, scale: scale === "all" ? null : Math.log2(Number(scale)) };
  await checkInputs(files);
  const outs = chains.map((path) => `${folder}/${basename(path)}`);
  await checkOutputs(outs, [file, ...chains, ...halfPaths(file)]);
  return withPool(async (pool) => {
    const { facts, lanes } = await openLanes(pool, file, chains);
    const places = spotsOf(valuesOfRepeated(options.spots), facts).map((spot) => ({
      region: around(spot, EQUAL_SIDE),
    }));
    const subject = (treatment: Treatment): EqualSubject => {
      return { treatment, index: decidingStep(treatment.steps, measure), places, measure };
    };
    const base = lanes.find(({ letter }) => letter === to);
    const wanted = base ? (await readEqual(pool, subject(base.treatment), null)).value : Number(to);
    if (!(wanted > 0))
      throw new UserError(
        base ? `the measure is not defined for lane ${to}` : `--to: “${to}” is neither a lane nor a value above 0`,
        base
          ? "Noise needs the halves beside the stack, width needs stars at the spots."
          : "Give the letter of a lane (A is the first chain), or a value in samples of the file (px for width).",
      );
    const found = [];
    for (const [k, lane] of lanes.entries()) {
      const index = decidingStep(lane.treatment.steps, measure);
      const steps = [...lane.treatment.steps];
      let result = null;
      if (lane !== base && index >= 0) {
        result = await equalStrength(pool, subject(lane.treatment), wanted);
        const strength = strengthField(steps[index].operation);
        steps[index] = { ...steps[index], params: { ...steps[index].params, [strength]: result.strength } };
      }
      await writeWhole(outs[k], new Blob([chainToJson(readChain(lane.path).name, steps)]));
      found.push({ letter: lane.letter, out: outs[k], ...(result ?? { strength: null }) });
    }
    return { wanted, lanes: found };
  });
}

const strengthField = (id: string): string => {
  const operation = findOperation(id);
  if (!operation) throw new UserError(`unknown operation “${id}”`, "Update this application.");
  if (!operation.can.strength)
    throw new UserError(`“${id}” has no strength`, "Name a step that reduces noise or sharpens.");
  return operation.can.strength.field;
};

const evidenceOptions = z.object({
  chain: z.string({ error: "a chain file is needed" }),
  region: regionOption.optional(),
});

/** evidence: what the halves say of what a chain makes of a stack, or of a region of it. */
export async function evidence(args: string[]): Promise<unknown> {
  const { files, options } = parseArguments(args, ["chain", "region"]);
  const file = oneFile(files, "evidence");
  const { chain, region } = checkOptions(evidenceOptions, options);
  await checkInputs(files);
  return withPool(async (pool) => {
    const { facts, lanes } = await openLanes(pool, file, [chain]);
    const shape = starShapeOf(facts);
    const [{ treatment }] = lanes;
    const onProgress = createProgress("Evidence");
    const found = region
      ? await evidenceOfPlace(pool, { treatment, region: regionOf(region, facts) }, shape)
      : await wholeEvidence(pool, treatment, facts, shape, { onProgress });
    if (!found)
      throw new UserError(
        `${file}: no halves lie beside it`,
        `Put ${halfPaths(file)
          .map((path) => basename(path))
          .join(" and ")} beside it; “stack” writes them.`,
      );
    // The maps are for the screen.
    const told = Object.fromEntries(
      Object.entries(found).filter(([name]) => name !== "unsupported" && name !== "lost"),
    );
    return { file, chain, ...told };
  });
}
