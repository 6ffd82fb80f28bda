import * as z from "zod";
import type { FactId, Facts } from "../facts";
import { FACTS, factOf } from "../facts";
import { UserError } from "../job";
import type { Mask } from "../mask";
import { factsOfMask } from "../mask";
import { skyPatch } from "../measure";
import type { AnyOperation, ChannelMode } from "../operations";
import { findOperation } from "../operations";
import { followedBy } from "../parameters";
import type { FrameSource } from "../raster";
import type { Warp } from "../register";
import type { ChainStep } from "./schema";

/**
 * A fact of a step's input in one channel mode, or of the untouched picture (all channels
 * together), from which masks are measured. One that follows what was chosen
 * for the step carries it, as JSON.
 */
export type FactKey = `${FactId}@${ChannelMode | typeof UNTOUCHED}${"" | `#${string}`}`;
export const UNTOUCHED = "untouched";

/** What was chosen for a step that facts follow. */
const chosen = z.object({
  patches: z.array(skyPatch).nullable().default(null),
  dropped: z.array(z.tuple([z.number(), z.number()])).default([]),
});
export type Chosen = z.infer<typeof chosen>;
export const NOTHING_CHOSEN: Chosen = { patches: null, dropped: [] };

/** What a key is made of. */
export function partsOfKey(key: FactKey): { id: FactId; of: ChannelMode | typeof UNTOUCHED; chosen: Chosen } {
  const [whole, ...rest] = key.split("#");
  const [id, of] = whole.split("@") as [FactId, ChannelMode];
  return { id, of, chosen: rest.length > 0 ? chosen.parse(JSON.parse(rest.join("#"))) : NOTHING_CHOSEN };
}

/** The key of a fact of a step's input, in the step's channel mode. */
export function keyOfFact(id: FactId, { operation, channels, params }: ChainStep): FactKey {
  const { follows } = factOf(id);
  const of = findOperation(operation)?.parameters;
  const own = follows && of && followedBy(of, params, follows);
  return own ? `${id}@${channels}#${JSON.stringify(own)}` : `${id}@${channels}`;
}

/** The facts of one step's input: for each key one value a picture that the mode works on. */
export type StepFacts = Partial<Record<FactKey, unknown[]>>;

/** What a luminance step's change goes back with: where the light of each channel begins, and the noise per pixel (channels.ts). */
const JOIN_LEVELS: FactKey = "levels@together";
const joinNoise = (needs: readonly FactId[]): FactKey =>
  needs.includes("sky") && !needs.includes("noise") ? "sky@luminance" : "noise@luminance";

/** The facts that a step's operation needs with its settings. */
const needsOf = (step: ChainStep): readonly FactId[] => {
  const { needs, parameters } = operationOf(step);
  return needs({ ...parameters.defaults, ...step.params });
};

/** What must be known of a step's input before it runs; nothing for a step that is off. Throws UserError for an unknown operation. */
export function factsNeeded(step: ChainStep): FactKey[] {
  if (!step.on) return [];
  const needs = needsOf(step);
  const own = needs.map((id) => keyOfFact(id, step));
  const join = step.channels === "luminance" ? [JOIN_LEVELS, joinNoise(needs)] : [];
  const ofMask = step.mask ? factsOfMask(step.mask).map((id): FactKey => `${id}@${UNTOUCHED}`) : [];
  return [...new Set([...own, ...join, ...ofMask])];
}

/** The facts for each picture of a step's mode, what its luminance goes back with, and those of its mask. Values are checked against the facts' schemas. */
export function factsOfStep(
  step: ChainStep,
  facts: StepFacts,
): { own: Facts[]; join: { levels: number[]; sigma: number } | null; ofMask: Facts } | null {
  const values: StepFacts = {};
  for (const key of factsNeeded(step)) {
    const known = facts[key];
    if (!known) return null;
    values[key] = known.map((value) => factOf(partsOfKey(key).id).schema.parse(value));
  }
  const own: Partial<Record<FactId, unknown>>[] = [];
  for (const id of needsOf(step))
    values[keyOfFact(id, step)]?.forEach((value, k) => (own[k] = { ...own[k], [id]: value }));
  const [levels] = (values[JOIN_LEVELS] ?? []) as Facts["levels"][];
  const [noise] = (values[joinNoise(needsOf(step))] ?? []) as { sigma: number[] }[];
  return {
    own: own as Facts[],
    join: levels && noise ? { levels: levels.level, sigma: noise.sigma[0] } : null,
    ofMask: Object.fromEntries(
      (step.mask ? factsOfMask(step.mask) : []).map((id) => [id, values[`${id}@${UNTOUCHED}`]?.[0]]),
    ) as unknown as Facts,
  };
}

/** A step ready to run: its operation, and the facts for each picture that its mode works on. */
export interface ReadyStep {
  operation: AnyOperation;
  step: ChainStep;
  facts: Facts[];
  /** What a luminance step's change goes back with (channels.ts); null in the other modes. */
  join: { levels: number[]; sigma: number } | null;
  /** Where it acts; null for everywhere. */
  mask: ReadyMask | null;
  /** What distinguishes this step and its facts from any other, but for settings and blend. */
  key: string;
}

/** A mask, the facts of the untouched picture that it is measured from, and that picture where it is not the one that the chain runs on. */
export interface ReadyMask {
  mask: Mask;
  facts: Facts;
  untouched: FrameSource | null;
  /** From the pixels that the chain begins with to those of that picture; null where they are the same. */
  toUntouched: Warp | null;
  /** Tells these facts from others. */
  key: string;
}

/** The operation of a step. Throws UserError for an unknown one. */
export function operationOf(step: ChainStep): AnyOperation {
  const operation = findOperation(step.operation);
  if (!operation) throw new UserError(`unknown operation “${step.operation}”`, "Remove the step from the chain.");
  return operation;
}

/** The hashes of the files that an operation loads. */
export const hashesOf = ({ assets }: Pick<AnyOperation, "assets">, params: ChainStep["params"]): string[] =>
  (assets?.(params) ?? []).map(({ sha256 }) => sha256);

/**
 * Puts operations and facts with the steps that are on. `keyOf` distinguishes facts in fewer letters than their values.
 * Throws UserError for unknown operations and for steps whose facts are missing.
 */
export function readySteps(
  steps: readonly ChainStep[],
  facts: readonly StepFacts[],
  keyOf: (index: number) => unknown = (index) => facts[index],
): ReadyStep[] {
  return steps.flatMap((step, i) => {
    if (!step.on) return [];
    const operation = operationOf(step);
    const known = factsOfStep(step, facts[i] ?? {});
    if (!known) throw new UserError(`${operation.words.title} was not prepared`, "Prepare the chain before it runs.");
    const params = operation.parameters.schema.parse(step.params) as ChainStep["params"];
    const key = JSON.stringify([
      operation.id,
      operation.version,
      step.channels,
      keyOf(i),
      ...hashesOf(operation, params),
    ]);
    const mask = step.mask && {
      mask: step.mask,
      facts: known.ofMask,
      untouched: null,
      toUntouched: null,
      key: JSON.stringify(keyOf(i)),
    };
    return [{ operation, step: { ...step, params }, facts: known.own, join: known.join, mask, key }];
  });
}

/**
 * The same steps for one of the halves of `whole`, whose noise is √2 times that of the stack. Treated so, (A − B)/2 carries what noise
 * the treatment leaves in the stack, for treatments that act on a picture according to its noise. Masks are those of the whole.
 */
export const stepsForHalves = (steps: ReadyStep[], whole: FrameSource): ReadyStep[] =>
  stepsForNoisier(steps, whole, Math.SQRT2);

/** The same steps for a picture of the same sky as `whole` with so many times its noise. */
export function stepsForNoisier(steps: ReadyStep[], whole: FrameSource, times: number): ReadyStep[] {
  const ids = Object.keys(FACTS) as FactId[];
  return steps.map((ready) => ({
    ...ready,
    facts: ready.facts.map((own) => {
      const known = ids.filter((id) => id in own);
      return Object.fromEntries(known.map((id) => [id, factOf(id).noisier(own[id], times)])) as unknown as Facts;
    }),
    join: ready.join && { ...ready.join, sigma: ready.join.sigma * times },
    mask: ready.mask && { ...ready.mask, untouched: whole },
    key: `noise × ${times} ${ready.key}`,
  }));
}

/** Why a step leaves its picture as it is, in words; null where it works, is off, or its facts are not known yet. Throws UserError for an unknown operation. */
export function idleReason(step: ChainStep, facts: StepFacts): string | null {
  const { idle, parameters } = operationOf(step);
  const known = idle && step.on ? factsOfStep(step, facts) : null;
  const params = { ...parameters.defaults, ...step.params };
  const reasons = known?.own.map((own) => idle?.(params, own) ?? null) ?? [];
  return reasons.length > 0 && reasons.every((reason) => reason !== null) ? reasons[0] : null;
}
