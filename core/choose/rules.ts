import * as z from "zod";
import type { GradedFrame, Measure, MeasureId } from "./measures";
import { MEASURE_IDS, MEASURES, measureOf } from "./measures";

const measure = z.enum(MEASURE_IDS);
const common = { id: z.string(), on: z.boolean() };

/** A rule keeps the frames of which its sentence is true. */
export const rule = z.discriminatedUnion("kind", [
  /** "FWHM below 3.2 px". */
  z.object({ ...common, kind: z.literal("limit"), measure, side: z.enum(["below", "above"]), value: z.number() }),
  /** "stars at least 70 % of the best". */
  z.object({ ...common, kind: z.literal("ofBest"), measure, percent: z.number().min(0).max(1000) }),
  /** "the best 80 % by weight", of those that all other rules and hands leave. */
  z.object({ ...common, kind: z.literal("best"), measure, percent: z.number().min(1).max(100) }),
  /** "no trail". */
  z.object({ ...common, kind: z.literal("without"), flag: z.enum(["trail", "cloud", "double", "black"]) }),
]);
export type Rule = z.infer<typeof rule>;

/** What a person decided for a frame, whatever the rules say; null leaves it to them. */
export const decision = z.enum(["keep", "reject"]).nullable();
export type Decision = z.infer<typeof decision>;

/** A frame with less than this share of the reference's starlight counts as taken through cloud (common practice: 10 to 20 %). */
export const CLOUD_BELOW_PERCENT = 85;

export type Flag = "trail" | "cloud" | "double" | "black";

/** What a flag says of a frame, and the sentence of the rule against it. */
export const FLAG_WORDS: Record<Flag, { has: string; rule: string }> = {
  trail: { has: "has a trail", rule: "no trail" },
  cloud: { has: "cloud", rule: "no cloud" },
  double: { has: "shows its stars twice", rule: "no double images" },
  black: { has: "black is cut off", rule: "no black that is cut off" },
};

/** What a frame is marked with. */
export function flagsOf(frame: GradedFrame): Flag[] {
  const starlight = measureOf("starlight").value(frame);
  return [
    ...(frame.measures.blackShare > 0 && !frame.video ? (["black"] as const) : []),
    ...(frame.measures.double ? (["double"] as const) : []),
    ...(frame.measures.trail ? (["trail"] as const) : []),
    // Of a double image half of the light is beside the star: that is no cloud.
    ...(!frame.measures.double && starlight !== null && starlight < CLOUD_BELOW_PERCENT ? (["cloud"] as const) : []),
  ];
}

export interface Verdict {
  included: boolean;
  /** Why a frame is out, in words; empty where it is in. */
  reasons: string[];
}

/** Measures that a rule can be made of: those of which one end is good. */
export const RULE_MEASURES: readonly Measure[] = MEASURES.filter(({ better }) => better !== null);

export function formatMeasure({ digits, unit }: Measure, value: number): string {
  return `${value.toFixed(digits)}${unit ? ` ${unit}` : ""}`;
}

/** The sentence of a rule. */
export function ruleSentence(given: Rule): string {
  if (given.kind === "without") return FLAG_WORDS[given.flag].rule;
  const { label } = measureOf(given.measure);
  if (given.kind === "limit") return `${label} ${given.side} ${formatMeasure(measureOf(given.measure), given.value)}`;
  if (given.kind === "ofBest")
    return measureOf(given.measure).better === "low"
      ? `${label} at most ${given.percent} % of the best`
      : `${label} at least ${given.percent} % of the best`;
  return `the best ${given.percent} % by ${label}`;
}

/**
 * Whether each frame is in, and if not why. Hand decisions count before rules. A frame for which a rule's measure is unknown
 * fails no rule. "The best n %" looks at what the other rules and hands leave, rounds up, and cuts at least nothing.
 */
export function applyRules(
  frames: GradedFrame[],
  decisions: ReadonlyMap<string, Decision>,
  rules: readonly Rule[],
): Map<string, Verdict> {
  const active = rules.filter(({ on }) => on);
  const reasons = new Map(frames.map(({ id }) => [id, [] as string[]]));
  const say = (id: string, text: string) => reasons.get(id)?.push(text);
  for (const given of active) {
    if (given.kind === "best") continue;
    if (given.kind === "without") {
      for (const frame of frames) if (flagsOf(frame).includes(given.flag)) say(frame.id, FLAG_WORDS[given.flag].has);
      continue;
    }
    const read = measureOf(given.measure);
    const best = bestOf(frames, read);
    for (const frame of frames) {
      const value = read.value(frame);
      if (value === null) continue;
      const limit = given.kind === "limit" ? given.value : (best * given.percent) / 100;
      const below = given.kind === "limit" ? given.side === "below" : read.better === "low";
      if (below ? value <= limit : value >= limit) continue;
      say(
        frame.id,
        `${read.label} ${formatMeasure(read, value)} is ${below ? "above" : "below"} ${formatMeasure(read, limit)}`,
      );
    }
  }
  const rejected = (id: string) => decisions.get(id) === "reject";
  for (const given of active) {
    if (given.kind !== "best") continue;
    const read = measureOf(given.measure);
    const left = frames
      .filter(({ id }) => !rejected(id) && reasons.get(id)?.length === 0 && decisions.get(id) !== "keep")
      .flatMap((frame) => {
        const value = read.value(frame);
        return value === null ? [] : [{ id: frame.id, value }];
      })
      .sort((a, b) => (read.better === "low" ? a.value - b.value : b.value - a.value));
    for (const { id } of left.slice(Math.ceil((left.length * given.percent) / 100)))
      say(id, `not among ${ruleSentence(given)}`);
  }
  return new Map(
    frames.map(({ id }) => {
      const hand = decisions.get(id) ?? null;
      if (hand === "keep") return [id, { included: true, reasons: [] }];
      const why = [...(hand === "reject" ? ["rejected by hand"] : []), ...(reasons.get(id) ?? [])];
      return [id, { included: why.length === 0, reasons: why }];
    }),
  );
}

function bestOf(frames: GradedFrame[], { value, better }: Measure): number {
  const known = frames.flatMap((frame) => value(frame) ?? []);
  return known.reduce((a, b) => (better === "low" ? Math.min(a, b) : Math.max(a, b)), known[0] ?? NaN);
}

/** A sensible first rule of a measure: a limit at the median plus (or minus) 30 %. */
export function firstRule(id: string, frames: GradedFrame[], measureId: MeasureId): Rule {
  const read = measureOf(measureId);
  const known = frames.flatMap((frame) => read.value(frame) ?? []).sort((a, b) => a - b);
  const middle = known[Math.floor(known.length / 2)] ?? 0;
  const side = read.better === "low" ? ("below" as const) : ("above" as const);
  const value = Number((middle * (side === "below" ? 1.3 : 0.7)).toFixed(read.digits));
  return { id, on: true, kind: "limit", measure: measureId, side, value };
}
