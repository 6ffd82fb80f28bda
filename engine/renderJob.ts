import { CREATOR } from "@/core/version";
import { chainToJson } from "@/core/chain";
import type { FrameRef } from "./frames";
import type { WorkerPool } from "./pool";
import { PRIORITY } from "./pool";
import { assemble, stripsOf } from "./stackJob";
import type { Treatment } from "./tasks/crop";

export interface RenderRequest {
  treatment: Treatment;
  width: number;
  height: number;
  channels: number;
  /** What the picture is called in the file. */
  title: string;
  object: string | null;
  integrationS: number;
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

/** Treats a whole picture strip by strip; a float FITS file with the chain in its history cards. */
export async function renderPicture(
  pool: WorkerPool,
  wanted: RenderRequest,
  { signal, onProgress }: { signal?: AbortSignal; onProgress: (fraction: number) => void },
): Promise<Blob> {
  const { width, height, channels, title } = wanted;
  const treatment = await prepareTreatment(pool, wanted.treatment, signal);
  const strips = stripsOf(width, height, pool.size);
  let done = 0;
  const parts = await Promise.all(
    strips.map(async (region) => {
      const planes = await pool.run("renderStrip", { treatment, region }, { priority: PRIORITY.batch, signal });
      done++;
      onProgress(done / strips.length);
      return planes.map((bytes) => new Blob([bytes as BlobPart]));
    }),
  );
  const history = [
    `lane ${title}`,
    ...chainToJson(title, treatment.steps).split("\n"),
    `contexts ${JSON.stringify(treatment.contexts)}`,
  ];
  const cards: Parameters<typeof assemble>[3] = [
    ["CREATOR", CREATOR],
    ...(wanted.object ? ([["OBJECT", wanted.object.slice(0, 60)]] as Parameters<typeof assemble>[3]) : []),
    ["EXPTIME", wanted.integrationS, "s, all subs used"],
  ];
  return assemble(width, height, channels, cards, history, (c) => parts.map((planes) => planes[c]));
}

export function blobRef(id: string, name: string, blob: Blob): FrameRef {
  return { id, name, kind: "blob", blob };
}
