import type { FactId, Facts } from "../facts";
import type { JobHandle } from "../job";
import type { FrameSource, Region } from "../raster";
import { cropRaster, fillGaps, growRegion, intersectRegions, rasterOf, relativeTo, wholeRegion } from "../raster";
import type { Warp } from "../register";
import { mapPoint, matrixAt } from "../register";
import type { AnyMaskKind } from "./kind";
import { findMaskKind } from "./registry";
import type { Mask, MaskPart } from "./schema";

function kindOf({ kind }: MaskPart): AnyMaskKind {
  const found = findMaskKind(kind);
  if (!found) throw new RangeError(`unknown kind of mask “${kind}”`);
  return found;
}

/** What must be known of the untouched picture before a mask's values can be computed. */
export const factsOfMask = ({ parts }: Mask): FactId[] => [
  ...new Set(parts.flatMap((part) => kindOf(part).needs as FactId[])),
];

/** What distinguishes one mask from another, as text: not its name. */
export const maskKey = ({ parts, blurPx, inverted }: Mask): string => JSON.stringify([parts, blurPx, inverted]);

/**
 * A box mean three times in a row stands for a Gaussian of σ: weights 1 out to `radius`, `edge` one pixel further, so that its variance is σ²/3.
 * Source: extended box filters, Gwosdek, Grewenig, Bruhn & Weickert 2011, SSVM.
 */
function boxOf(sigmaPx: number): { radius: number; edge: number } {
  const variance = sigmaPx ** 2 / 3;
  // A box of radius r alone has r (r + 1)/3.
  const radius = Math.floor((Math.sqrt(12 * variance + 1) - 1) / 2);
  const inner = (radius * (radius + 1) * (2 * radius + 1)) / 3;
  return { radius, edge: (variance * (2 * radius + 1) - inner) / (2 * ((radius + 1) ** 2 - variance)) };
}

/** Pixels of surroundings that a mask's values depend on. */
export const maskReach = ({ parts, blurPx }: Mask): number =>
  Math.max(0, ...parts.map((part) => kindOf(part).reach(part.params))) +
  (blurPx > 0 ? 3 * (boxOf(blurPx).radius + 1) : 0);

/**
 * How much of each pixel of a region is meant, 0 … 1, row by row. Parts go together as sets of degrees do: and = the least, or = the most, minus = the least of one and
 * what the other leaves (Zadeh 1965, Information and Control 8, 338); the first part stands by itself. A mask without parts means everything. The same for a region as for the whole, to rounding.
 */
export async function maskValues(
  mask: Mask,
  untouched: FrameSource,
  region: Region,
  fill: readonly number[],
  facts: Facts,
  job: JobHandle,
): Promise<Float32Array> {
  const area = intersectRegions(growRegion(region, maskReach(mask)), wholeRegion(untouched));
  const isTold = mask.parts.some((part) => kindOf(part).drawn === null);
  const blank = () => rasterOf(area.width, area.height, [new Float32Array(area.width * area.height)]);
  const raster = isTold ? fillGaps(await untouched.read(area), fill) : blank();
  let together: Float32Array | null = null;
  for (const part of mask.parts) {
    await job.breathe();
    const look = { raster, x: area.x, y: area.y, facts, outline: part.outline, job };
    const own = inverted(kindOf(part).values(look, part.params), part.inverted);
    together = together ? combined(together, own, part.how) : own;
  }
  const meant = blurred(
    inverted(together ?? new Float32Array(area.width * area.height).fill(1), mask.inverted),
    area.width,
    area.height,
    mask.blurPx,
  );
  return cropRaster(rasterOf(area.width, area.height, [meant]), relativeTo(area, region)).planes[0];
}

function inverted(values: Float32Array, isInverted: boolean): Float32Array {
  return isInverted ? values.map((v) => 1 - v) : values;
}

function combined(a: Float32Array, b: Float32Array, how: MaskPart["how"]): Float32Array {
  if (how === "or") return a.map((v, i) => Math.max(v, b[i]));
  return a.map((v, i) => Math.min(v, how === "and" ? b[i] : 1 - b[i]));
}

/** Three box means along rows, then along columns; what lies beyond the border is like the pixel at it. */
function blurred(plane: Float32Array, width: number, height: number, sigmaPx: number): Float32Array {
  if (sigmaPx === 0) return plane;
  const { radius, edge } = boxOf(sigmaPx);
  const total = 2 * radius + 1 + 2 * edge;
  let [from, to] = [Float64Array.from(plane), new Float64Array(plane.length)];
  const pass = (step: number, length: number, start: number): void => {
    const at = (i: number) => from[start + step * Math.max(0, Math.min(length - 1, i))];
    let sum = 0;
    for (let i = -radius; i <= radius; i++) sum += at(i);
    for (let i = 0; i < length; i++) {
      const [before, after] = [at(i - radius - 1), at(i + radius + 1)];
      to[start + step * i] = (sum + edge * (before + after)) / total;
      sum += after - at(i - radius);
    }
  };
  for (const across of [true, false])
    for (let round = 0; round < 3; round++) {
      if (across) for (let y = 0; y < height; y++) pass(1, width, y * width);
      else for (let x = 0; x < width; x++) pass(width, height, x);
      [from, to] = [to, from];
    }
  return Float32Array.from(from);
}

/** A mask whose outlines were drawn on one picture, on another: `warp` leads from the first's pixels to the other's. Feathers and blur keep their width on the sky. */
export function placedMask(mask: Mask, warp: Warp): Mask {
  const scaleAt = (x: number, y: number): number => {
    const [a, b, , d, e] = matrixAt(warp, x, y);
    return Math.sqrt(Math.abs(a * e - b * d));
  };
  const parts = mask.parts.map((part) => {
    if (part.outline.length === 0) return part;
    const { feather, ...others } = part.params;
    const scale = scaleAt(...part.outline[0]);
    return {
      ...part,
      params: typeof feather === "number" ? { ...others, feather: Math.min(400, feather * scale) } : part.params,
      outline: part.outline.map(([x, y]) => [...mapPoint(warp, x, y)] as [number, number]),
    };
  });
  return { ...mask, parts, blurPx: Math.min(64, mask.blurPx * scaleAt(0, 0)) };
}
