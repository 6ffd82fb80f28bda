import type { FitsCard, FrameUnit, SubMetadata } from "../formats";
import { asRead, binnedBy, cutFrom, keptHeader, metadataCards } from "../formats";
import { warpWords } from "../register";
import { CREATOR } from "../version";
import type { StackPlan, SubFacts } from "./plan";
import type { StackReport } from "./report";
import type { StackSettings } from "./settings";

/** The pictures of a stack. */
export type StackKind = "stack" | "A" | "B" | "coverage" | "rejected";

export interface StackHeader {
  plan: StackPlan;
  subs: readonly SubFacts[];
  /** The file of the reference. */
  source: Parameters<typeof asRead>[0] & { metadata: SubMetadata };
  /** What the samples of the stack are. */
  unit: FrameUnit;
  /** Pixels of that file along a pixel of the subs as they are stacked: more than 1 where they were binned. */
  step: number;
  /** Pixels of the stack along one of its reference: more than 1 where it was drizzled. */
  enlarged: number;
  /** The stack's first pixel in the picture that was made, where it was cropped. */
  left: number;
  top: number;
}

/**
 * The header of one of a stack's pictures: that of the reference, whose pixels they share, with what is true of all subs that went in.
 * Properties in which subs differ are named together (filters) or left out.
 */
export function stackCards(of: StackKind, { plan, subs, source, unit, step, ...placed }: StackHeader): FitsCard[] {
  const facts = new Map(subs.map((sub) => [sub.id, sub]));
  const { moved, set: _pattern, ...read } = asRead(source);
  const used = plan.used.filter(({ half }) => (of === "A" || of === "B" ? half === of : true));
  const known = used.flatMap(({ id }) => facts.get(id)?.metadata ?? []);
  const common = commonMetadata(known, facts.get(plan.referenceId)?.metadata ?? source.metadata);
  const exposure = used.reduce((sum, { id }) => sum + (facts.get(id)?.exposureS ?? 0), 0);
  return keptHeader({
    ...read,
    moved: [
      ...moved,
      ...(step === 1 ? [] : [binnedBy(step)]),
      ...(placed.enlarged === 1 ? [] : [binnedBy(1 / placed.enlarged)]),
      ...(placed.left === 0 && placed.top === 0 ? [] : [cutFrom(placed.left, placed.top)]),
    ],
    unit: of === "coverage" || of === "rejected" ? COUNTS : unit,
    combined: true,
    demosaiced: plan.channels > 1,
    set: [
      ["CREATOR", CREATOR],
      ["IMAGETYP", KIND_WORDS[of]],
      ...metadataCards({
        ...common,
        exposureS: null,
        binning: common.binning === null ? null : common.binning * step,
        pixelSizeUm: common.pixelSizeUm === null ? null : common.pixelSizeUm / placed.enlarged,
      }),
      ["EXPTIME", exposure, "s, all subs used"],
      ["NCOMBINE", used.length, "subs used"],
      ...endCards(known),
    ],
  }).cards;
}

/** What the header says that a picture is. */
const KIND_WORDS: Record<StackKind, string> = {
  stack: "stack",
  A: "stack half A",
  B: "stack half B",
  coverage: "stack coverage",
  rejected: "stack coverage, rejected samples",
};

/** Numbers of subs are no levels. */
const COUNTS: FrameUnit = {
  name: "share",
  storedPerUnit: 1,
  fullScale: 1,
  saturation: null,
  electronsPerAdu: null,
  from: { name: "count", fullScale: "count", saturation: "count" },
};

/** What all subs agree in; filters are named together, the date is that of the first. */
function commonMetadata(known: SubMetadata[], reference: SubMetadata): SubMetadata {
  const same = <K extends keyof SubMetadata>(key: K): SubMetadata[K] | null => {
    const values = new Set(known.map((metadata) => metadata[key]));
    return values.size > 1 ? null : reference[key];
  };
  const keyOf = (filter: string) => filter.replace(/\s/g, "").toLowerCase();
  const filters = known
    .flatMap(({ filter }) => filter ?? [])
    .filter((filter, i, all) => all.findIndex((other) => keyOf(other) === keyOf(filter)) === i);
  const dates = known.flatMap(({ date }) => date ?? []).sort();
  return {
    ...reference,
    object: reference.object ?? known.find(({ object }) => object !== null)?.object ?? null,
    filter: filters.length > 0 ? filters.join("+") : reference.filter,
    date: dates[0] ?? reference.date,
    gain: same("gain"),
    offset: same("offset"),
    electronsPerAdu: same("electronsPerAdu"),
    instrument: same("instrument"),
    telescope: same("telescope"),
  };
}

/** When the last sub ended, where dates and exposures are known. */
function endCards(known: SubMetadata[]): FitsCard[] {
  const ends = known.flatMap(({ date, exposureS }) => {
    const start = date === null ? NaN : Date.parse(`${date}Z`);
    return Number.isNaN(start) ? [] : [start + 1000 * (exposureS ?? 0)];
  });
  if (ends.length === 0) return [];
  const last = ends.reduce((a, b) => Math.max(a, b));
  return [["DATE-END", new Date(last).toISOString().slice(0, 23), "UTC, end of the last exposure"]];
}

/** How a stack was made, for its history. */
export function recipeLines(plan: StackPlan, settings: StackSettings, report: StackReport): string[] {
  return [
    `stack of ${plan.used.length} subs, reference ${report.referenceName}`,
    `settings ${JSON.stringify(settings)}`,
    ...plan.used.map((sub) => `used ${sub.name} half ${sub.half} warp ${warpWords(sub.toReference)}`),
    ...plan.leftOut.map((sub) => `left out ${sub.name}: ${sub.reason}`),
  ];
}
