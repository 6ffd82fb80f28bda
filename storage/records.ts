import * as z from "zod";
import { chainStep } from "@/core/chain";
import { blindRecord, pictureFacts, spot } from "@/core/compare";
import { calibrationSettings, tolerances } from "@/core/calibrate";
import { FIRST_COLUMNS, MEASURE_IDS, decision, rule } from "@/core/choose";
import { FORMAT_IDS, frameType, frameUnit, subMetadata } from "@/core/formats";
import { skyPatch, listedStar, subMeasures, videoMeasures } from "@/core/measure";
import { levelsSchema } from "@/core/facts";
import { joinPart } from "@/core/join";
import { mask } from "@/core/mask";
import { display } from "@/core/display";
import { warpSchema } from "@/core/register";
import { stackReport, stackSettings, gradedRelation } from "@/core/stack";
import { packedRecords } from "./columns";

/** Version of the records; a change of shape is a migration in migrations.ts and a new number here. */
export const RECORD_VERSION = 6;

const id = z.string().min(1);
const versioned = { version: z.literal(RECORD_VERSION), id, projectId: id };

const used = z.object({ bias: z.boolean(), dark: z.boolean(), flat: z.boolean() });

/** How lights of a project are calibrated: data, so that it can be kept with each stack. */
export const calibrationPlan = z.object({
  settings: calibrationSettings,
  tolerance: tolerances,
  /** Kinds of masters that are used where there are any. */
  use: used,
});
export type CalibrationPlan = z.infer<typeof calibrationPlan>;

/** A stack that is being made: what it is made of, so that it can be gone on with after the page was closed. */
export const stackInWork = z.object({
  name: z.string().min(1).max(80),
  settings: stackSettings,
  /** Ids of the subs of the set that it is made of; null for all that are included. */
  only: z.array(z.string()).nullable(),
  plan: calibrationPlan,
  /** The sub on whose pixels it lies; null for its own reference. */
  gridId: z.string().nullable().default(null),
});
export type StackInWork = z.infer<typeof stackInWork>;

/** A stack that waits to be made. */
export const queuedStack = stackInWork.extend({ id });
export type QueuedStack = z.infer<typeof queuedStack>;

export const projectRecord = z.object({
  version: z.literal(RECORD_VERSION),
  id,
  name: z.string().min(1).max(80),
  createdAt: z.number(),
  openedAt: z.number(),
  /** Made from simulated frames, which it fetches from this server by itself. */
  demo: z.boolean(),
  demoKind: z.enum(["night", "raw", "video"]).default("night"),
  /** Set while the project waits to be deleted for good; it can be brought back until then. */
  deletedAt: z.number().nullable(),
  /** Small picture as a data URL, of the newest stack. */
  thumbnail: z.string().nullable(),
  /** How many subs there are, and the exposure of all lights that are not left out by hand, for the card of the shelf; null where it was never summed up. */
  subCount: z.number().int().nullable().default(null),
  integrationS: z.number().nullable().default(null),
  /** The sub that a person made the reference; null for the best one. */
  referenceId: z.string().nullable().default(null),
  /** Rules that choose subs; hand decisions are kept with each sub. */
  rules: z.array(rule).default([]),
  patches: z.array(skyPatch).default([]),
  /** Columns of the table of subs. */
  columns: z.array(z.enum(MEASURE_IDS)).default(FIRST_COLUMNS),
  calibration: calibrationPlan.default({
    settings: calibrationSettings.parse({}),
    tolerance: tolerances.parse({}),
    use: { bias: true, dark: true, flat: true },
  }),
  /** Names of files that were chosen and have not come in: what an import that was cut short still lacks. */
  importLeft: z.array(z.string()).default([]),
  /** Null where none is being made, and none was interrupted. */
  stackInWork: stackInWork.nullable().default(null),
  stackQueue: z.array(queuedStack).default([]),
  /** What was tried and decided on the Compare screen, oldest first. */
  journal: z.array(z.object({ at: z.number(), text: z.string().max(500), trial: blindRecord.optional() })).default([]),
  /** The page that was open last. */
  stage: z.enum(["subs", "stack", "compare", "finish"]),
});
export type ProjectRecord = z.infer<typeof projectRecord>;

/** A frame that was read and measured; its file lies in the blob store under `fileId`. */
export const subRecord = z.object({
  ...versioned,
  name: z.string(),
  /** Of its file among those of the project; frames of a video share it. */
  order: z.number(),
  type: frameType,
  fileId: id,
  /** Frame of a video; 0 for a still. */
  frame: z.number().int().min(0),
  /** Time of a frame of a video, ms since 1970; null where it is not known. */
  timeMs: z.number().nullable(),
  /** What a person decided, apart from the rules. */
  decision,
  /** The one that others are held against, to and fro. */
  rival: z.boolean(),
  format: z.enum(FORMAT_IDS),
  /** Size of the file as it came. */
  bytes: z.number(),
  /** Hash of its bytes; null where it came before hashes were kept. */
  hash: z.string().nullable().default(null),
  width: z.number().int(),
  height: z.number().int(),
  channels: z.number().int(),
  bitpix: z.number().int(),
  /** What its samples are, with the saturation that was found when it was measured. */
  unit: frameUnit,
  metadata: subMetadata,
  /** What is odd about the file, in words. */
  notes: z.array(z.string()).default([]),
  /** Fields of the metadata that were typed in. */
  typed: z.array(z.string()),
  measures: subMeasures,
  stars: z.array(listedStar),
  stretch: levelsSchema,
  video: videoMeasures.nullable(),
  /** Key of the calibration through which it was measured; null for the frame as it came. */
  measuredThrough: z.string().nullable(),
  /** Size after that calibration. */
  measuredSize: z.object({ width: z.number().int(), height: z.number().int(), channels: z.number().int() }),
  /** Against the reference of that id; a null value means that the stars did not match. */
  relation: gradedRelation.nullable(),
  /** Medians of the sky patches; `key` names patches and reference. */
  patches: z.object({ key: z.string(), levels: z.array(z.number().nullable()) }).nullable(),
});
export type SubRecord = z.infer<typeof subRecord>;

/** Files in the order in which they were chosen, and frames of a video as they follow one another. */
export const inOrder = (a: SubRecord, b: SubRecord): number =>
  a.order - b.order || (a.fileId === b.fileId ? a.frame - b.frame : a.fileId < b.fileId ? -1 : 1);

/** A video: its frames as subs, packed (columns.ts); its file lies in the blob store under its id. */
export const videoRecord = z.object({ ...versioned, frames: packedRecords });
export type VideoRecord = z.infer<typeof videoRecord>;

/** A master that was made here; its picture lies in the blob store under its id. */
export const masterRecord = z.object({
  ...versioned,
  name: z.string(),
  kind: z.enum(["bias", "dark", "flat", "darkflat"]),
  createdAt: z.number(),
  width: z.number().int(),
  height: z.number().int(),
  channels: z.number().int(),
  /** Null for masters that were made before units were told: their files say it. */
  unit: frameUnit.nullable().default(null),
  metadata: subMetadata,
  frames: z.array(z.string()),
  /** How it was made, in words. */
  recipe: z.string(),
  warnings: z.array(z.string()),
});
export type MasterRecord = z.infer<typeof masterRecord>;

/** Which masters the lights of a stack went through. */
export const stackCalibration = z.object({
  plan: calibrationPlan,
  groups: z.array(
    z.object({
      subs: z.array(z.string()),
      bias: z.string().nullable(),
      dark: z.string().nullable(),
      flat: z.string().nullable(),
    }),
  ),
});
export type StackCalibration = z.infer<typeof stackCalibration>;

/** What is known of a stack that was not made of subs here: it came as files, or was joined from others. */
export const broughtIn = z.object({
  /** Names of its files: the stack, then its halves. */
  files: z.array(z.string()).min(1),
  hasHalves: z.boolean(),
  hasCoverage: z.boolean(),
  /** How many subs went in, where its header says it. */
  combined: z.number().int().positive().nullable(),
  /** Where it was joined here from stacks of single channels: from which, and how; null where it came as files. */
  joined: z
    .array(z.object({ channel: z.enum(["red", "green", "blue", "luminance"]), stackId: id, part: joinPart }))
    .nullable()
    .default(null),
  /** Where it is a stack of the project at another scale. */
  copyOf: z.object({ stackId: id, factor: z.number().positive(), resampling: z.string() }).nullable().default(null),
  /** Hash of its file, where it came as one, by which it is known again. */
  hash: z.string().nullable().default(null),
  /** Pixel scale by its header; null where that does not tell. */
  arcsecPerPx: z.number().positive().nullable().default(null),
});

/** A finished stack; its pictures lie in the blob store under id + ".mean", ".a", ".b", ".coverage", ".rejected" and ".rejectedBySub". */
export const stackRecord = z.object({
  ...versioned,
  name: z.string().min(1).max(80),
  createdAt: z.number(),
  settings: stackSettings,
  report: stackReport,
  facts: pictureFacts,
  object: z.string().nullable(),
  /** From its pixels to those of the stack that was the project's first; null where they could not be tied, or were before this was kept. */
  toProject: warpSchema.nullable().default(null),
  /** Null where the subs came calibrated. */
  calibration: stackCalibration.nullable().default(null),
  /** Null where it was made of subs here. */
  brought: broughtIn.nullable().default(null),
  /** The sub on whose pixels it lies, where that is not its own reference. */
  gridId: z.string().nullable().default(null),
  note: z.string().max(2000).default(""),
  /** Set while it waits to be deleted for good; it can be brought back until then. */
  deletedAt: z.number().nullable().default(null),
});
export type StackRecord = z.infer<typeof stackRecord>;

/** Whether two half-stacks lie beside it. */
export const hasHalves = ({ brought, report }: Pick<StackRecord, "brought" | "report">): boolean =>
  brought ? brought.hasHalves : report.subsUsed > 1;

export const laneStep = chainStep.extend({ id });
export type LaneStep = z.infer<typeof laneStep>;

export const lane = z.object({
  id,
  letter: z.string().min(1).max(4),
  stackId: id,
  steps: z.array(laneStep),
  note: z.string().max(300).optional(),
  /** The name of the group that it is in; "" for none. */
  group: z.string().max(30).optional(),
  /** A display of its own; without, the common one. */
  display: display.optional(),
});
export type Lane = z.infer<typeof lane>;

export const ladder = z.object({
  laneId: id,
  stepId: id,
  field: z.string(),
  values: z.array(z.number()).min(3).max(7),
  /** A second setting of the lane, whose values are the rows of a grid; null for one setting alone. */
  second: z
    .object({ stepId: id, field: z.string(), values: z.array(z.number()).min(2).max(5) })
    .nullable()
    .default(null),
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

/** Lanes × spots; all lanes at one spot; one lane at all spots; two lanes over each other at one spot; the whole picture of each lane. */
export const LAYOUTS = ["matrix", "spot", "lane", "pair", "whole"] as const;
export type Layout = (typeof LAYOUTS)[number];
/** How two lanes over each other are held against one another. */
export const PAIR_WAYS = ["wipe", "flip", "difference"] as const;

/** What of a crop is shown: its colours, one channel, what is made of them, or the noise that the halves show. */
export const SHOWN_PARTS = ["colour", "red", "green", "blue", "luminance", "saturation", "noise"] as const;
export const shows = z.object({
  part: z.enum(SHOWN_PARTS).default("colour"),
  inverse: z.boolean().default(false),
  /** Whether pixels that are shown black or white are marked. */
  marksClipped: z.boolean().default(false),
  /** Whether lines part the pixels from 8:1 on. */
  grid: z.boolean().default(false),
});
export type Shows = z.infer<typeof shows>;

/** How the Compare screen is laid out. */
export const look = z.object({
  layout: z.enum(LAYOUTS).default("matrix"),
  /** The spot of the layouts that show one; null for the first. */
  spotId: z.string().nullable().default(null),
  /** The lane that the chosen one is held against; null for the first other one. */
  otherId: z.string().nullable().default(null),
  way: z.enum(PAIR_WAYS).default("wipe"),
  /** Where the wipe stands, as a share of the width. */
  wipeAt: z.number().min(0).max(1).default(0.5),
  /** How many times a difference is enlarged. */
  gain: z.number().min(0.1).max(100).default(1),
  /** Which panels are folded away. */
  foldedSpots: z.boolean().default(false),
  foldedSide: z.boolean().default(false),
  /** What the panel at the right shows. */
  side: z.enum(["chain", "evidence"]).default("chain"),
  shows: shows.default(shows.parse({})),
  /** The group of lanes that is shown alone; null for all lanes. */
  group: z.string().nullable().default(null),
  /** The lane by whose levels all are shown; null for each lane's by those of its own stack. */
  levelsOf: z.string().nullable().default(null),
  /** Whether the table of measures lies open. */
  measures: z.boolean().default(false),
});
export type Look = z.infer<typeof look>;
export const FRESH_LOOK: Look = look.parse({});

/** What a person decided: which lane is best at a spot (null: over all), and why. */
export const verdict = z.object({
  spotId: z.string().nullable(),
  laneId: z.string().nullable(),
  note: z.string().max(2000).default(""),
});
export type Verdict = z.infer<typeof verdict>;

/** Everything on the Compare screen that can be undone. */
export const board = z.object({
  lanes: z.array(lane),
  spots: z.array(spot),
  view,
  look: look.default(FRESH_LOOK),
  display,
  ladder: ladder.nullable(),
  /** All masks of the project; a step that has one holds it as it is here (state/masks.ts). Outlines lie in the project's coordinates. */
  masks: z.array(mask).default([]),
  verdicts: z.array(verdict).default([]),
  /** Lanes that were taken out, the last one last: they can be brought back. */
  removed: z.array(lane).default([]),
  selectedLaneId: z.string().nullable(),
});
export type Board = z.infer<typeof board>;

export const boardRecord = z.object({ ...versioned, board });
export type BoardRecord = z.infer<typeof boardRecord>;

/** A whole-picture fact, frozen with what it was measured from (the key): one value a picture of its channel mode. */
export const factRecord = z.object({
  version: z.literal(RECORD_VERSION),
  id,
  projectId: id,
  value: z.array(z.unknown()),
  /** When it was used last, ms since 1970; 0 where that was not kept. */
  usedAt: z.number().default(0),
});
export type FactRecord = z.infer<typeof factRecord>;

/** A chain that was kept under a name, for any project; its masks and patches lie on the pixels of the stack that it was kept from. */
export const chainRecord = z.object({
  version: z.literal(RECORD_VERSION),
  id,
  name: z.string().min(1).max(80),
  keptAt: z.number(),
  steps: z.array(chainStep),
});
export type ChainRecord = z.infer<typeof chainRecord>;
