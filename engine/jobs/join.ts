import type { FitsCard, SubMetadata } from "@/core/formats";
import { asRead, keptHeader, unitOfSamples } from "@/core/formats";
import type { JoinPart } from "@/core/join";
import { relatePart } from "@/core/join";
import { UserError } from "@/core/job";
import { CREATOR } from "@/core/version";
import type { FrameRef } from "../frames";
import type { WorkerPool } from "../pool";
import { inspectStack } from "./inspect";
import { PRIORITY } from "../pool";
import { assemble, stripsOf } from "./assemble";

export const CHANNELS = ["red", "green", "blue"] as const;

/** A stack of one channel with its halves, where it has any, and what it counts for in its channel. */
export interface JoinInput {
  picture: FrameRef;
  halves: { a: FrameRef; b: FrameRef } | null;
  weight: number;
}

export interface JoinRequest {
  red: JoinInput;
  green: JoinInput;
  blue: JoinInput;
  luminance: JoinInput | null;
}

export interface Joined {
  picture: Blob;
  /** Where all parts had them. */
  halves: { a: Blob; b: Blob } | null;
  width: number;
  height: number;
  parts: { name: string; part: JoinPart }[];
}

/**
 * Joins stacks of single channels into colour, on the pixels of the luminance or else of the green one: registered and brought to its starlight by
 * their stars, skies made equal. The halves are joined alike. UserError, which names the file, where one has more channels or shares no stars.
 */
export async function joinStacks(
  pool: WorkerPool,
  { red, green, blue, luminance }: JoinRequest,
  { signal, onProgress }: { signal?: AbortSignal; onProgress: (fraction: number, doing: string) => void },
): Promise<Joined> {
  const inputs = [red, green, blue, ...(luminance ? [luminance] : [])];
  onProgress(0, "Matching stars");
  const facts = await Promise.all(inputs.map(({ picture }) => inspectStack(pool, { picture, halves: null }, signal)));
  facts.forEach(({ channels }, i) => {
    if (channels !== 1)
      throw new UserError(`${inputs[i].picture.name}: has ${channels} channels`, "Join stacks of one channel each.");
  });
  const grid = facts[luminance ? 3 : 1];
  const frame = inputs[luminance ? 3 : 1].picture;
  const parts = inputs.map(({ picture, weight }, i) => {
    const related = relatePart(facts[i], grid, weight);
    if (!related.ok)
      throw new UserError(
        `${picture.name} could not be matched to ${frame.name}: ${related.reason.detail}`,
        "Choose stacks of the same field.",
      );
    return related.value;
  });
  const { width, height } = grid;
  const source = await pool.run("readFile", { frame }, { priority: PRIORITY.batch, signal });
  const unit = unitOfSamples(await pool.run("readUnit", { frame, look: false }, { signal }));
  const metadata = await Promise.all(
    inputs.map(async ({ picture }) => (await pool.run("readFile", { frame: picture }, { signal })).metadata),
  );
  const history = inputs.map(
    ({ picture }, i) => `${i < 3 ? CHANNELS[i] : "luminance"} ${picture.name} ${JSON.stringify(parts[i])}`,
  );
  const { moved, set: _pattern, ...read } = asRead(source);
  const rounds = inputs.every(({ halves }) => halves !== null) ? (["stack", "A", "B"] as const) : (["stack"] as const);
  const made: Blob[] = [];
  for (const [round, of] of rounds.entries()) {
    const strips = stripsOf(width, height, pool.batchSize);
    let ready = 0;
    const planes = await Promise.all(
      strips.map(async (region) => {
        const chosen = inputs.map(({ picture, halves }, i) => ({
          frame: of === "stack" ? picture : ((of === "A" ? halves?.a : halves?.b) as FrameRef),
          part: parts[i],
        }));
        const payload = { parts: chosen, grid: { width, height }, region };
        const bytes = await pool.run("joinStrip", payload, { priority: PRIORITY.batch, signal });
        onProgress((round + ++ready / strips.length) / rounds.length, "Joining");
        return bytes.map((plane) => new Blob([plane as BlobPart]));
      }),
    );
    const { cards } = keptHeader({
      ...read,
      moved,
      unit,
      combined: true,
      demosaiced: true,
      set: [["CREATOR", CREATOR], ["IMAGETYP", of === "stack" ? "stack" : `stack half ${of}`], ...sumCards(metadata)],
    });
    made.push(assemble(width, height, 3, cards, history, (c) => planes.map((own) => own[c])));
  }
  const [picture, a, b] = made;
  return {
    picture,
    halves: a && b ? { a, b } : null,
    width,
    height,
    parts: inputs.map((input, i) => ({ name: input.picture.name, part: parts[i] })),
  };
}

/** Filters named together and the time of all, each stack counted once. */
function sumCards(metadata: readonly SubMetadata[]): FitsCard[] {
  const filters = [...new Set(metadata.flatMap(({ filter }) => filter ?? []))];
  const seconds = metadata.reduce((sum, { exposureS }) => sum + (exposureS ?? 0), 0);
  return [
    ...(filters.length > 0 ? ([["FILTER", filters.join("+")]] as FitsCard[]) : []),
    ...(seconds > 0 ? ([["EXPTIME", seconds, "s, all stacks joined"]] as FitsCard[]) : []),
  ];
}
