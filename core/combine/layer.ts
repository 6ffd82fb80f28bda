import type { PlaneFit } from "../measure";
import type { Kernels } from "../kernels";
import type { CreateRaster, FrameSource, Raster, Region } from "../raster";
import { createRaster, isEmptyRegion } from "../raster";
import type { Placement, ResamplingKernel } from "../register";
import { resample, sourceRegion } from "../register";

/** Weights that change over the grid: a value for each channel at nodes `step` px apart, from pixel (0, 0) on. */
export interface WeightMap {
  step: number;
  columns: number;
  rows: number;
  /** By channel, row by row. */
  values: readonly Float32Array[];
}

/** A frame as it goes into a combination: where it lies, how much it counts, and what brings its samples to the others'. */
export interface Layer {
  frame: FrameSource;
  placement: Placement;
  /** By channel; or by place. */
  weights: readonly number[] | WeightMap;
  half: "A" | "B";
  /** value' = scale · value + offset(x, y), by channel, in px of the grid. */
  scale: number;
  offset: readonly PlaneFit[];
}

interface Sampling {
  /** Sees the part of the frame of which the samples are made. */
  onRaw?: (raw: Raster, part: Region) => void;
  /** Make the samples, and the part of the frame. @default createRaster */
  create?: CreateRaster;
  createRaw?: CreateRaster;
}

/** A layer's samples on a tile of the grid; NaN where it has none. Of the frame only what lies under the tile is read. */
export async function sampleLayer(
  { frame, placement, scale, offset }: Pick<Layer, "frame" | "placement" | "scale" | "offset">,
  tile: Region,
  resampling: ResamplingKernel,
  kernels: Kernels,
  { onRaw, create = createRaster, createRaw }: Sampling = {},
): Promise<Raster> {
  const from = sourceRegion(tile, placement, frame);
  if (isEmptyRegion(from)) {
    const out = create(tile.width, tile.height, frame.channels);
    for (const plane of out.planes) plane.fill(NaN);
    return out;
  }
  const raw = await frame.read(from, createRaw);
  onRaw?.(raw, from);
  const levels = offset.map((plane) => ({ scale, ...plane }));
  return resample(raw, from, placement, tile, { kernel: resampling, kernels, levels, create });
}

/** A layer's weights on a tile for a channel: one number, or one a pixel, bilinear between the nodes of its map. */
export function weightsOn({ weights }: Pick<Layer, "weights">, tile: Region, channel: number): number | Float32Array {
  if (!("step" in weights)) return weights[channel];
  const { step, columns, rows, values } = weights;
  const nodes = values[channel];
  const out = new Float32Array(tile.width * tile.height);
  const within = (v: number, count: number): [at: number, next: number, share: number] => {
    const at = Math.min(count - 1, Math.max(0, v / step));
    const low = Math.floor(at);
    return [low, Math.min(count - 1, low + 1), at - low];
  };
  for (let y = 0, p = 0; y < tile.height; y++) {
    const [j, below, v] = within(tile.y + y, rows);
    for (let x = 0; x < tile.width; x++, p++) {
      const [i, right, u] = within(tile.x + x, columns);
      const top = nodes[j * columns + i] * (1 - u) + nodes[j * columns + right] * u;
      const bottom = nodes[below * columns + i] * (1 - u) + nodes[below * columns + right] * u;
      out[p] = top * (1 - v) + bottom * v;
    }
  }
  return out;
}
