import { z } from "zod";
import { chainStep } from "@/core/chain";
import { pictureFacts, spot } from "@/core/compare";
import { subMetadata } from "@/core/formats";
import { listedStar, subMeasures } from "@/core/measure";
import { stretchContext, stretchParams } from "@/core/operations";
import { stackReport, stackSettings } from "@/core/stack";

/** Version of the records; a change of shape is a migration in migrations.ts and a new number here. */
export const RECORD_VERSION = 1;

const id = z.string().min(1);
const versioned = { version: z.literal(RECORD_VERSION), id, projectId: id };

export const projectRecord = z.object({
  version: z.literal(RECORD_VERSION),
  id,
  name: z.string().min(1).max(80),
  createdAt: z.number(),
  openedAt: z.number(),
  demo: z.boolean(),
  /** Set while the project waits to be deleted for good; it can be brought back until then. */
  deletedAt: z.number().nullable(),
  /** Small picture as a data URL, of the newest stack. */
  thumbnail: z.string().nullable(),
  /** The sub that a person made the reference; null for the best one. */
  referenceId: z.string().nullable().default(null),
  /** The page that was open last. */
  stage: z.enum(["subs", "stack", "compare", "finish"]),
});
export type ProjectRecord = z.infer<typeof projectRecord>;

/** A sub that was read and measured; its file lies in the blob store under the same id. */
export const subRecord = z.object({
  ...versioned,
  name: z.string(),
  order: z.number(),
  included: z.boolean(),
  bytes: z.number(),
  width: z.number().int(),
  height: z.number().int(),
  channels: z.number().int(),
  bitpix: z.number().int(),
  metadata: subMetadata,
  pixelScale: z.number().nullable(),
  measures: subMeasures,
  stars: z.array(listedStar),
  stretch: stretchContext,
});
export type SubRecord = z.infer<typeof subRecord>;

/** A finished stack; its pictures lie in the blob store under id + ".mean", ".a", ".b" and ".coverage". */
export const stackRecord = z.object({
  ...versioned,
  name: z.string().min(1).max(80),
  createdAt: z.number(),
  settings: stackSettings,
  report: stackReport,
  facts: pictureFacts,
  object: z.string().nullable(),
});
export type StackRecord = z.infer<typeof stackRecord>;

export const laneStep = chainStep.extend({ id });
export type LaneStep = z.infer<typeof laneStep>;

export const lane = z.object({ id, letter: z.string().min(1).max(4), stackId: id, steps: z.array(laneStep) });
export type Lane = z.infer<typeof lane>;

export const ladder = z.object({
  laneId: id,
  stepId: id,
  field: z.string(),
  values: z.array(z.number()).min(3).max(7),
});
export type Ladder = z.infer<typeof ladder>;

export const ZOOMS = ["fit", 1, 2, 4, 8] as const;
export const view = z.object({
  zoom: z.union([z.literal("fit"), z.literal(1), z.literal(2), z.literal(4), z.literal(8)]),
  /** How far all crops were moved from their spots, in px of the picture. */
  panX: z.number(),
  panY: z.number(),
});
export type View = z.infer<typeof view>;

/** Everything on the Compare screen that can be undone. */
export const board = z.object({
  lanes: z.array(lane),
  spots: z.array(spot),
  view,
  display: stretchParams,
  ladder: ladder.nullable(),
  selectedLaneId: z.string().nullable(),
});
export type Board = z.infer<typeof board>;

export const boardRecord = z.object({ ...versioned, board });
export type BoardRecord = z.infer<typeof boardRecord>;

/** Contexts of a step of a chain, frozen with what they were made from (the key). */
export const contextRecord = z.object({
  version: z.literal(RECORD_VERSION),
  id,
  projectId: id,
  contexts: z.array(z.unknown()),
});
export type ContextRecord = z.infer<typeof contextRecord>;
