import { NO_MEASURES } from "@/core/measure";
import { pictureFacts } from "@/core/compare";
import { NO_METADATA } from "@/core/formats";
import { stackReport, stackSettings } from "@/core/stack";
import { SIXTEEN_BITS } from "@/core/testing/fixtures";
import type { StackRecord, SubRecord } from "./records";
import { projectRecord, RECORD_VERSION } from "./records";

/** Records of a project p, for tests. */
export const project = projectRecord.parse({
  version: RECORD_VERSION,
  id: "p",
  name: "Weir",
  createdAt: 1,
  openedAt: 2,
  demo: false,
  deletedAt: null,
  thumbnail: null,
  referenceId: null,
  stage: "subs",
});

export const sub = (id: string, order: number): SubRecord => ({
  version: RECORD_VERSION,
  id,
  projectId: "p",
  name: `${id}.fits`,
  order,
  type: "light",
  fileId: id,
  frame: 0,
  timeMs: null,
  decision: null,
  rival: false,
  format: "fits",
  bytes: 3,
  hash: null,
  width: 10,
  height: 10,
  channels: 3,
  bitpix: 16,
  unit: SIXTEEN_BITS,
  notes: [],
  metadata: { ...NO_METADATA, exposureS: 120 },
  typed: [],
  measures: NO_MEASURES,
  stars: [],
  stretch: { level: [0], sigma: [1], white: 1 },
  video: null,
  measuredThrough: null,
  measuredSize: { width: 10, height: 10, channels: 3 },
  relation: null,
  patches: null,
});
export const stack = (id: string): StackRecord => ({
  version: RECORD_VERSION,
  id,
  projectId: "p",
  name: id,
  createdAt: 5,
  settings: stackSettings.parse({}),
  report: stackReport.parse({
    referenceName: "a",
    subsUsed: 1,
    integrationS: 1,
    rejectedFraction: 0,
    subs: [],
    noise: [],
    fwhmPx: null,
    medianSubFwhmPx: null,
    seconds: 1,
    peakBytes: 1,
  }),
  facts: pictureFacts.parse({
    width: 1,
    height: 1,
    channels: 1,
    fill: [0],
    skyLevel: 0,
    stretch: { level: [0], sigma: [1], white: 1 },
    fwhmPx: null,
    stars: 0,
    halvesSigma: null,
    spots: [],
  }),
  object: null,
  toProject: null,
  calibration: null,
  brought: null,
  gridId: null,
  note: "",
  deletedAt: null,
});
