import { asRead, binnedBy, keptHeader, unitOfSamples } from "@/core/formats";
import type { ResamplingKernel } from "@/core/register";
import { copySize } from "@/core/stack";
import { CREATOR } from "@/core/version";
import type { FrameRef } from "../frames";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";
import { assemble, stripsOf } from "./assemble";

export interface CopyRequest {
  frame: FrameRef;
  factor: number;
  resampling: ResamplingKernel;
}

/** A picture at another scale, as a float FITS file; its header keeps the sky's coordinates. */
export async function copyPicture(
  pool: WorkerPool,
  { frame, factor, resampling }: CopyRequest,
  { signal, onProgress }: { signal?: AbortSignal; onProgress: (fraction: number) => void },
): Promise<Blob> {
  const source = await pool.run("readFile", { frame }, { priority: PRIORITY.batch, signal });
  const unit = unitOfSamples(await pool.run("readUnit", { frame, look: false }, { signal }));
  const { width, height } = copySize(source, factor);
  const strips = stripsOf(width, height, pool.batchSize);
  let ready = 0;
  const planes = await Promise.all(
    strips.map(async (region) => {
      const payload = { frame, factor, resampling, region };
      const bytes = await pool.run("copyStrip", payload, { priority: PRIORITY.batch, signal });
      onProgress(++ready / strips.length);
      return bytes.map((plane) => new Blob([plane as BlobPart]));
    }),
  );
  const { moved, set: _pattern, ...read } = asRead(source);
  const { cards } = keptHeader({
    ...read,
    moved: [...moved, binnedBy(1 / factor)],
    unit,
    combined: true,
    demosaiced: source.channels > 1,
    set: [["CREATOR", CREATOR]],
  });
  const history = [`copy at ${factor} times the scale, ${factor > 1 ? resampling : "means of whole pixels"}`];
  return assemble(width, height, source.channels, cards, history, (c) => planes.map((own) => own[c]));
}
