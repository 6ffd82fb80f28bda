import { UserError } from "../../job";
import type { Kernels, Psf } from "../../kernels";
import type { MoffatShape } from "../../measure";
import { meanPsf } from "../../measure";
import type { ImportedKernel } from "../../parameters";
import type { Raster } from "../../raster";
import { meanPlane, rasterOf, robustSpread } from "../../raster";
import { resample, shiftBy } from "../../register";

/** A picture of one star is no wider than this, and no narrower, px; a kernel reaches so far from its middle. */
export const MOST_STAR_SIDE = 129;
const [LEAST_SIDE, MOST_RADIUS] = [7, 24];
/** What stands less than this many σ of the border over it is no light of the star. */
const LEAST_SIGMA = 2;
/** The middle is that of what stands above this share of the peak. */
const CORE = 0.2;

/**
 * The blur that a picture of one star shows: its channels' mean less the median of its border, what is no clear light taken for none, moved so that its middle lies on a pixel, of sum 1. Its radius is as large as the picture leaves, at most 24 px.
 * Throws UserError where the picture is too large or too small for that, has gaps, or nothing stands out in it.
 */
export function psfFromStar(picture: Raster, from: string, kernels: Kernels): ImportedKernel {
  const { width, height } = picture;
  const advice = `Choose a picture of one star alone, ${LEAST_SIDE} … ${MOST_STAR_SIDE} px to a side, its middle well inside.`;
  if (Math.max(width, height) > MOST_STAR_SIDE || Math.min(width, height) < LEAST_SIDE)
    throw new UserError(`${from}: ${width} × ${height} px is no picture of one star`, advice);
  const plane = meanPlane(picture);
  if (plane.some((v) => !Number.isFinite(v))) throw new UserError(`${from}: some of its pixels have no data`, advice);
  const border = [...plane].filter((_, i) => {
    const [x, y] = [i % width, Math.floor(i / width)];
    return x === 0 || y === 0 || x === width - 1 || y === height - 1;
  });
  const { centre: level, sigma } = robustSpread(Float32Array.from(border));
  const light = plane.map((v) => (v - level > LEAST_SIGMA * sigma ? v - level : 0));
  const peak = light.reduce((most, v) => Math.max(most, v), 0);
  let [x, y, total] = [0, 0, 0];
  for (const [i, v] of light.entries()) {
    if (v <= CORE * peak) continue;
    x += v * (i % width);
    y += v * Math.floor(i / width);
    total += v;
  }
  if (!(total > 0)) throw new UserError(`${from}: nothing stands out in it`, advice);
  [x, y] = [x / total, y / total];
  const radius = Math.min(MOST_RADIUS, Math.floor(Math.min(x, y, width - 1 - x, height - 1 - y)));
  if (radius < 1) throw new UserError(`${from}: its star lies at the border`, advice);
  const side = 2 * radius + 1;
  const target = { x: 0, y: 0, width: side, height: side };
  const moved = resample(rasterOf(width, height, [light]), { x: 0, y: 0 }, shiftBy(radius - x, radius - y), target, {
    kernel: "bicubic",
    kernels,
  });
  return kernelOf(side, moved.planes[0], from);
}

/** How stars of one picture look in another: `scale` px there to one here, turned by so many radians, mirrored first or not. */
export interface Onto {
  scale: number;
  turn: number;
  isMirrored: boolean;
}

/** The blur that stars of some shapes (one a channel) have in the mean, as seen in another picture. */
export function psfFromShapes(
  shapes: readonly MoffatShape[],
  { scale, turn, isMirrored }: Onto,
  from: string,
): ImportedKernel {
  const there = shapes.map(({ fwhmMajor, fwhmMinor, angle, beta }) => ({
    fwhmMajor: scale * fwhmMajor,
    fwhmMinor: scale * fwhmMinor,
    beta,
    angle: turn + (isMirrored ? -angle : angle),
  }));
  const { size, values } = meanPsf(there, MOST_RADIUS);
  return kernelOf(size, values, from);
}

/** Values of sum 1, to seven digits: they go into recipes. */
function kernelOf(side: number, values: ArrayLike<number>, from: string): ImportedKernel {
  const whole = Array.from(values, (v) => (v > 0 ? v : 0));
  const sum = whole.reduce((a, b) => a + b, 0);
  return { from, side, values: whole.map((v) => Number((v / sum).toPrecision(7))) };
}

export function psfOfKernel({ side, values }: ImportedKernel): Psf {
  const sum = values.reduce((a, b) => a + b, 0);
  return { size: side, values: Float32Array.from(values, (v) => v / sum) };
}

/** Samples to a pixel along each axis by which a width is measured. */
const FINE = 8;

/** The diameter of a circle as large as what stands above half of the peak, in px; between pixels by cubics (Catmull and Rom's). */
export function fwhmOfKernel({ side, values }: ImportedKernel): number {
  const rows = Array.from({ length: side }, (_, y) => finer(values.slice(y * side, (y + 1) * side)));
  const columns = rows[0].map((_, x) => finer(rows.map((row) => row[x])));
  const half = values.reduce((most, v) => Math.max(most, v), 0) / 2;
  const above = columns.reduce((count, column) => count + column.filter((v) => v > half).length, 0);
  return (2 * Math.sqrt(above / Math.PI)) / FINE;
}

/** A line at FINE places to a sample. */
function finer(line: readonly number[]): number[] {
  const at = (i: number) => line[Math.min(line.length - 1, Math.max(0, i))];
  return Array.from({ length: (line.length - 1) * FINE + 1 }, (_, k) => {
    const [i, t] = [Math.floor(k / FINE), (k % FINE) / FINE];
    const [a, b, c, d] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
    return b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)));
  });
}
