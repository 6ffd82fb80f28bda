import { CREATOR } from "@/core/version";
import { chainToJson, chainWords, isStretched } from "@/core/chain";
import type { LaneMeasures, PictureFacts, Sheet } from "@/core/compare";
import { EVIDENCE_SIDE, sheetHtml, starShapeOf, unequalThings } from "@/core/compare";
import { aduPerSample } from "@/core/formats";
import type { Display, ShownBy } from "@/core/display";
import { displayWords } from "@/core/display";
import type { Region } from "@/core/raster";
import { growRegion, intersectRegions, isEmptyRegion, wholeRegion } from "@/core/raster";
import type { Warp } from "@/core/register";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";
import type { Treatment } from "../tasks/crop";

/** A lane of a sheet: its treated stack, and where a spot lies in it. */
export interface SheetRequestLane {
  letter: string;
  treatment: Treatment;
  stackId: string;
  stackName: string;
  integrationS: number | null;
  facts: PictureFacts;
  /** What it is shown by, unless it is stretched. */
  shownBy: ShownBy;
  /** The region of a spot in px of its stack; null where it lies beyond it. */
  regionOf: (spot: { x: number; y: number }) => Region;
  /** To the first lane's grid, where it lies askew (CropPayload.onto), with the region there. */
  onto: (spot: { x: number; y: number }) => { region: Region; onto: Warp } | null;
}

export interface SheetRequest {
  title: string;
  lanes: readonly SheetRequestLane[];
  spots: readonly { name: string; x: number; y: number; verdict: string }[];
  /** How the lanes are shown, in a sentence. */
  shown: string;
  verdict: string;
  note: string;
  journal: Sheet["journal"];
}

/** How the measures of a region are measured: by the pool, or from what is known already. */
export type MeasureRegion = (treatment: Treatment, region: Region, facts: PictureFacts) => Promise<LaneMeasures>;

/** Makes a sheet, and gives the measures of each lane at each spot. */
export async function makeSheet(
  pool: WorkerPool,
  { title, lanes, spots, shown, verdict, note, journal }: SheetRequest,
  {
    onProgress,
    signal,
    measure,
  }: { onProgress: (share: number) => void; signal?: AbortSignal; measure?: MeasureRegion },
): Promise<{ html: string; measures: LaneMeasures[][] }> {
  let done = 0;
  const step = <T>(value: T): T => (onProgress(++done / (lanes.length * spots.length)), value);
  const cells = await Promise.all(
    spots.map((spot) =>
      Promise.all(lanes.map(async (lane) => step(await cellOf(pool, lane, spot, { signal, measure })))),
    ),
  );
  const { unit } = lanes[0].facts;
  const compared = lanes.map(({ treatment, ...lane }, k) => ({
    ...lane,
    steps: treatment.steps,
    clipped: Math.max(...cells.map((row) => row[k].measures?.clipped ?? 0)),
  }));
  const html = sheetHtml({
    title,
    cells,
    verdict,
    note,
    journal,
    made: `${CREATOR}, ${new Date().toISOString().slice(0, 16).replace("T", " ")} UTC`,
    shown,
    lanes: lanes.map(({ letter, treatment, stackName }) => ({
      letter,
      words: chainWords(treatment.steps),
      stack: stackName,
      chain: chainToJson(`Lane ${letter}`, treatment.steps),
    })),
    spots: spots.map(({ name, x, y, verdict: own }) => ({
      name,
      place: `${Math.round(x)}, ${Math.round(y)}`,
      verdict: own,
    })),
    unequal: unequalThings(compared),
    unit: unit.name === "e-" ? "e⁻" : "ADU",
    perSample: unit.name === "e-" ? unit.storedPerUnit : aduPerSample(unit),
  });
  return { html, measures: cells.map((row) => row.map(({ measures }) => measures ?? {})) };
}

async function cellOf(
  pool: WorkerPool,
  { treatment, facts, shownBy, regionOf, onto }: SheetRequestLane,
  spot: { x: number; y: number },
  { signal, measure }: { signal?: AbortSignal; measure?: MeasureRegion },
): Promise<{ png: string | null; measures: LaneMeasures | null }> {
  const shown = regionOf(spot);
  const region = intersectRegions(shown, wholeRegion(facts));
  if (isEmptyRegion(region)) return { png: null, measures: null };
  const where = onto(spot) ?? { region, onto: null };
  const by = isStretched(treatment.steps) ? null : shownBy;
  const options = { priority: PRIORITY.view, signal };
  // The square that the table of measures has.
  const measured = intersectRegions(growRegion(shown, (EVIDENCE_SIDE - shown.width) / 2), wholeRegion(facts));
  const [png, measures] = await Promise.all([
    pool.run("cropPng", { treatment: { ...treatment, halves: null }, ...where, reduce: 1, shownBy: by }, options),
    measure?.(treatment, measured, facts) ??
      pool.run(
        "laneMeasures",
        { treatment, region: measured, shape: starShapeOf(facts), skyLevel: facts.skyLevel },
        options,
      ),
  ]);
  return { png: `data:image/png;base64,${base64(png)}`, measures };
}

/** Bytes as base64, in browser and Node alike. */
function base64(bytes: Uint8Array): string {
  let text = "";
  for (let i = 0; i < bytes.length; i += 0x8000) text += String.fromCharCode(...bytes.subarray(i, i + 0x8000));
  return btoa(text);
}

/** How lanes are shown that share their levers, in a sentence. */
export const shownByOne = (display: Display): string =>
  `All lanes are shown by one curve: ${displayWords(display)}; stretched lanes as they are.`;
