import { CREATOR } from "@/core/version";
import { chainToJson } from "@/core/chain";
import type { FrameUnit } from "@/core/formats";
import { asRead, cutFrom, keptHeader } from "@/core/formats";
import { findOperation } from "@/core/operations";
import type { Region } from "@/core/raster";
import type { FrameRef } from "./frames";
import type { WorkerPool } from "./pool";
import { PRIORITY } from "./pool";
import { assemble, stripsOf } from "./stackJob";
import type { Treatment } from "./tasks/crop";

export interface RenderRequest {
  treatment: Treatment;
  /** In px of the picture; all of it for a whole rendering. */
  region: Region;
  channels: number;
  /** What the picture is called in the file. */
  title: string;
}

/** Prepares every step that is on and lacks its contexts; resolves with the complete list. */
export async function prepareTreatment(
  pool: WorkerPool,
  treatment: Treatment,
  signal?: AbortSignal,
): Promise<Treatment> {
  const contexts = [...treatment.contexts];
  for (const [index, step] of treatment.steps.entries()) {
    if (!step.on || contexts[index]) continue;
    const soFar = { ...treatment, contexts };
    contexts[index] = await pool.run("prepare", { treatment: soFar, index }, { priority: PRIORITY.view, signal });
  }
  return { ...treatment, contexts };
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
 * region) and the chain in its history cards.
 */
export async function renderPicture(
  pool: WorkerPool,
  { region, channels, title, ...wanted }: RenderRequest,
  { signal, onProgress }: { signal?: AbortSignal; onProgress: (fraction: number) => void },
): Promise<Blob> {
  const treatment = await prepareTreatment(pool, wanted.treatment, signal);
  const strips = stripsOf(region.width, region.height, pool.size).map((strip) => ({
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
  const isStretched = treatment.steps.some(({ on, operation }) => on && findOperation(operation)?.group === "stretch");
  const unit = isStretched ? STRETCHED : await pool.run("tellUnit", { frame, look: false }, { signal });
  const read = asRead(source);
  const { cards, history } = keptHeader({
    ...read,
    moved: [...read.moved, cutFrom(region.x, region.y)],
    unit,
    set: [...read.set, ["CREATOR", CREATOR], ["IMAGETYP", "treated picture"]],
  });
  const recipe = [
    `lane ${title}`,
    ...chainToJson(title, treatment.steps).split("\n"),
    `contexts ${JSON.stringify(treatment.contexts)}`,
  ];
  const { width, height } = region;
  return assemble(width, height, channels, cards, [...history, ...recipe], (c) => parts.map((planes) => planes[c]));
}

export function blobRef(id: string, name: string, blob: Blob): FrameRef {
  return { id, name, kind: "blob", blob };
}
