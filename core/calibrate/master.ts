import { cube, rejectorOf } from "../combine";
import type { CfaPattern } from "../formats";
import type { JobHandle } from "../job";
import type { CreateRaster, FrameSource, Raster, Region } from "../raster";
import { createRaster, frameOfRaster, pasteInto, rasterOf, tilesOf } from "../raster";
import { frameMeans } from "./apply";

export interface MasterSettings {
  /** How frames are combined after outliers are left out. */
  by: "mean" | "median";
  lowSigma: number;
  highSigma: number;
}

export const MASTER_SETTINGS: MasterSettings = { by: "mean", lowSigma: 3, highSigma: 3 };

const TILE_BYTES = 64 * 2 ** 20;

/**
 * Combines bias, dark or dark-flat frames of one size into a master: at each pixel outliers beyond the σ limits are left out
 * (five rounds, as the stacker does it) and the rest is averaged, or its median taken. Walks tiles, so that memory stays
 * within 64 MB. One frame is its own master. Throws RangeError for none or for frames of different size.
 */
export async function makeMaster(frames: FrameSource[], settings: MasterSettings, job: JobHandle): Promise<Raster> {
  return combineFrames(frames, settings, job);
}

/**
 * A master flat: each flat less `offset` (a master dark-flat, dark or bias) is divided by its own mean, for each place of the CFA
 * cell, so that twilight that fades does not count; then they are combined as other frames. The result has mean 1 for each
 * place of the cell.
 */
export async function makeMasterFlat(
  frames: FrameSource[],
  offset: FrameSource | null,
  pattern: CfaPattern | null,
  settings: MasterSettings,
  job: JobHandle,
): Promise<Raster> {
  const normalised: FrameSource[] = [];
  for (const frame of frames) {
    await job.breathe();
    const own: FrameSource = {
      ...sizeOf(frame),
      read: async (region, create) => {
        const [raster, off] = await Promise.all([frame.read(region, create), offset?.read(region) ?? null]);
        if (off) raster.planes.forEach((plane, c) => plane.forEach((v, i) => (plane[i] = v - off.planes[c][i])));
        return raster;
      },
    };
    const means = frameMeans(await own.read({ x: 0, y: 0, width: frame.width, height: frame.height }), pattern);
    if (means.some((mean) => !(mean > 0)))
      throw new RangeError("a flat has no light above its dark or bias; leave it out or use another bias");
    normalised.push(divided(own, means, pattern));
  }
  const master = await combineFrames(normalised, settings, job);
  return divided(frameOfRaster(master), frameMeans(master, pattern), pattern).read({
    x: 0,
    y: 0,
    width: master.width,
    height: master.height,
  });
}

const sizeOf = ({ width, height, channels }: FrameSource) => ({ width, height, channels });

/** A frame divided by a level for each place of the CFA cell, or for each channel. */
function divided(frame: FrameSource, means: number[], pattern: CfaPattern | null): FrameSource {
  const pitch = pattern === null ? 1 : 2;
  return {
    ...sizeOf(frame),
    read: async (region, create) => {
      const raster = await frame.read(region, create);
      raster.planes.forEach((plane, c) => {
        for (let y = 0, i = 0; y < region.height; y++)
          for (let x = 0; x < region.width; x++, i++)
            plane[i] /= means[frame.channels > 1 ? c : ((region.y + y) % pitch) * pitch + ((region.x + x) % pitch)];
      });
      return raster;
    },
  };
}

async function combineFrames(frames: FrameSource[], settings: MasterSettings, job: JobHandle): Promise<Raster> {
  if (frames.length === 0) throw new RangeError("a master needs at least one frame, received none");
  const { width, height, channels } = frames[0];
  for (const frame of frames)
    if (frame.width !== width || frame.height !== height || frame.channels !== channels)
      throw new RangeError(
        `frames of a master must have one size, received ${width}×${height} and ${frame.width}×${frame.height}`,
      );
  const out = createRaster(width, height, channels);
  const rows = Math.max(1, Math.min(height, Math.floor(TILE_BYTES / (4 * width * channels * (frames.length + 4)))));
  const tiles = tilesOf({ x: 0, y: 0, width, height }, width, rows);
  const { by, lowSigma, highSigma } = settings;
  const layers = {
    count: frames.length,
    channels,
    read: (i: number, tile: Region, create: CreateRaster) => frames[i].read(tile, create),
    weights: () => frames.map(() => 1),
  };
  const how = { by, rejector: rejectorOf("sigma"), limits: { low: lowSigma, high: highSigma } };
  await cube(how).run(layers, tiles, job, ({ tile, channels: results }) => {
    const planes = results.map(({ mean }) => mean);
    pasteInto(out, rasterOf(tile.width, tile.height, planes), tile.x, tile.y);
  });
  return out;
}
