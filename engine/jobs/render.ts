import { CREATOR } from "@/core/version";
import { chainHalo, chainToJson, prepareChain, readySteps } from "@/core/chain";
import type { FrameUnit } from "@/core/formats";
import { asRead, cutFrom, keptHeader, pixelMapOf, withoutWcs } from "@/core/formats";
import type { PictureState } from "@/core/operations";
import type { Region } from "@/core/raster";
import type { StepFactIds } from "../facts";
import type { FrameRef } from "../frames";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";
import { assemble, stripsOf } from "./assemble";
import type { Treatment } from "../tasks/crop";

export interface RenderRequest {
  treatment: Treatment;
  /** What the picture is after the steps. */
  result: PictureState;
  /** In px of the result; all of it for a whole rendering. */
  region: Region;
  /** What the picture is called in the file. */
  title: string;
}

/** A picture with a chain, every fact of which is measured and kept in the pool. */
export async function prepareTreatment(
  pool: WorkerPool,
  subject: Omit<Treatment, "facts">,
  signal?: AbortSignal,
): Promise<Treatment> {
  const facts = await prepareChain(subject.steps, {} as StepFactIds, async (index, keys, before) => {
    const treatment = { ...subject, facts: before };
    const found = await pool.run("measureFacts", { treatment, index, keys }, { priority: PRIORITY.view, signal });
    return Object.fromEntries(keys.map((key) => [key, pool.keep(found[key] ?? [])]));
  });
  return { ...subject, facts };
}

/** What samples are after a stretch: shares of white. */
const STRETCHED: FrameUnit = {
  name: "share",
  storedPerUnit: 1,
  fullScale: 1,
  saturation: null,
  electronsPerAdu: null,
  from: { name: "stretch", fullScale: "stretch", saturation: "stretch" },
};

/**
 * Treats a picture, or a region of it, strip by strip; a float FITS file with the header of the picture (world coordinates moved with the
 * pixels; dropped where they were turned) and the chain in its history cards.
 */
export async function renderPicture(
  pool: WorkerPool,
  { treatment, result, region, title }: RenderRequest,
  { signal, onProgress }: { signal?: AbortSignal; onProgress: (fraction: number) => void },
): Promise<Blob> {
  const facts = treatment.facts.map((ids) => pool.valuesOf(ids));
  const halo = chainHalo(readySteps(treatment.steps, facts));
  const strips = stripsOf(region.width, region.height, pool.batchSize, halo).map((strip) => ({
    ...strip,
    x: strip.x + region.x,
    y: strip.y + region.y,
  }));
  let done = 0;
  const parts = await Promise.all(
    strips.map(async (strip) => {
      const planes = await pool.run("renderStrip", { treatment, region: strip }, { priority: PRIORITY.batch, signal });
      done++;
      onProgress(done / strips.length);
      return planes.map((bytes) => new Blob([bytes as BlobPart]));
    }),
  );
  const frame = treatment.picture;
  const source = await pool.run("readFile", { frame }, { priority: PRIORITY.batch, signal });
  const unit =
    result.domain === "stretched" ? STRETCHED : await pool.run("readUnit", { frame, look: false }, { signal });
  const read = asRead(source);
  const onGrid = pixelMapOf(result.toSource);
  const { cards, history } = keptHeader({
    ...read,
    cards: onGrid ? read.cards : withoutWcs(read.cards),
    moved: [...read.moved, ...(onGrid ? [onGrid] : []), cutFrom(region.x, region.y)],
    unit,
    set: [...read.set, ["CREATOR", CREATOR], ["IMAGETYP", "treated picture"]],
  });
  const recipe = [
    `lane ${title}`,
    ...chainToJson(title, treatment.steps).split("\n"),
    `facts ${JSON.stringify(facts, inShort)}`,
  ];
  const { width, height } = region;
  return assemble(width, height, result.channels, cards, [...history, ...recipe], (c) =>
    parts.map((planes) => planes[c]),
  );
}

export function blobRef(id: string, name: string, blob: Blob): FrameRef {
  return { id, name, kind: "blob", blob };
}

/** Long rows of numbers are no reading matter: they follow from the picture again. */
const MOST_NUMBERS = 24;
const inShort = (_key: string, value: unknown): unknown =>
  Array.isArray(value) && value.length > MOST_NUMBERS && typeof value[0] === "number"
    ? `${value.length} numbers`
    : value;
