import * as z from "zod";
import type { Profile } from "../measure";
import { moffatProfile, shapeAt } from "../measure";
import type { Raster } from "../raster";
import { medianInPlace, SIGMA_PER_MAD } from "../raster";
import type { ClearStar } from "./clearStars";
import { clearStars } from "./clearStars";
import type { Fact } from "./fact";
import type { FieldShape } from "./psfShape";
import { inPicture, shapesOf, starShapeSchema } from "./psfShape";

/** Half the side of the mean picture of the stars, and how far their profile is followed, in px; steps of the profile. */
const RADIUS = 12;
const STEP = 0.5;

const channel = z.object({
  shape: starShapeSchema,
  /** Every star that was used: its place in px of the picture, its width (geometric mean), and its length over its width. */
  stars: z.array(z.object({ x: z.number(), y: z.number(), fwhmPx: z.number(), elongation: z.number() })),
  /** Scatter of their widths: 1.4826 MAD. */
  scatterPx: z.number(),
  /** By distance from the middle, in steps of half a px: medians over the stars' pixels, of their peaks, their scatter (1.4826 MAD), and what the PSF has there. */
  profile: z.array(z.object({ r: z.number(), measured: z.number(), scatter: z.number(), fitted: z.number() })),
  /** Root of the mean square, within two FWHM, of what the PSF leaves of a star, over its peak: the median star. */
  residual: z.number(),
  /** The stars' mean picture, peak about 1: 2 · 12 + 1 px to a side. */
  mean: z.array(z.number()),
});

const schema = z.object({ channels: z.array(channel.nullable()) });
export type PsfStarsFact = z.infer<typeof schema>;

/** The stars that show the PSF of each channel, and how well it fits them; null where they are too few. */
export const psfStars: Fact<PsfStarsFact> = {
  id: "psfStars",
  follows: "stars",
  title: "stars that tell the PSF",
  schema,
  async measure(input, job) {
    const samples = await input.field.samples();
    const channels = await clearStars(input, job);
    const shapes = shapesOf(channels.map((stars) => inPicture(stars, input.field.places)));
    return {
      channels: shapes.map((shape, c) => shape && readoutOf(channels[c], samples, input.field.places, c, shape)),
    };
  },
  noisier: (value) => value,
};

const median = (values: number[]): number => medianInPlace(Float64Array.from(values));
const spread = (values: number[], middle: number): number =>
  SIGMA_PER_MAD * median(values.map((v) => Math.abs(v - middle)));

function readoutOf(
  stars: ClearStar[],
  samples: Raster[],
  places: readonly { x: number; y: number }[],
  c: number,
  shape: FieldShape,
): z.infer<typeof channel> {
  const everywhere = moffatProfile(shape);
  const reach = Math.ceil(2 * shape.fwhmMajor);
  const steps = Math.floor(RADIUS / STEP) + 1;
  const at: number[][] = Array.from({ length: steps }, () => []);
  const modelled: number[][] = Array.from({ length: steps }, () => []);
  const residuals: number[] = [];
  const side = 2 * RADIUS + 1;
  const pictures: number[][] = Array.from({ length: side * side }, () => []);
  for (const { piece, fit } of stars) {
    const { planes, width, height } = samples[piece];
    const plane = planes[c];
    const [cx, cy] = [Math.round(fit.x), Math.round(fit.y)];
    const { x: x0, y: y0 } = places[piece];
    const psf = shape.field ? moffatProfile(shapeAt(shape.field, shape.beta, x0 + fit.x, y0 + fit.y)) : everywhere;
    const level = levelAround(plane, width, height, fit, psf, reach);
    let [squares, count] = [0, 0];
    for (let v = -RADIUS; v <= RADIUS; v++)
      for (let u = -RADIUS; u <= RADIUS; u++) {
        const [x, y] = [cx + u, cy + v];
        if (x < 0 || y < 0 || x >= width - 1 || y >= height - 1) continue;
        const [dx, dy] = [x - fit.x, y - fit.y];
        const height0 = (plane[y * width + x] - level) / fit.peak;
        const r = Math.hypot(dx, dy);
        const k = Math.round(r / STEP);
        if (k < steps) {
          at[k].push(height0);
          modelled[k].push(psf(dx, dy));
        }
        if (r <= reach) {
          squares += (height0 - psf(dx, dy)) ** 2;
          count++;
        }
        // The star's own middle lies up to half a px beside the pixel's: between its neighbours.
        pictures[(v + RADIUS) * side + u + RADIUS].push(
          (between(plane, width, fit.x + u, fit.y + v) - level) / fit.peak,
        );
      }
    residuals.push(Math.sqrt(squares / Math.max(1, count)));
  }
  const used = stars.map(({ piece, fit }) => ({
    x: places[piece].x + fit.x,
    y: places[piece].y + fit.y,
    fwhmPx: Math.sqrt(fit.fwhmMajor * fit.fwhmMinor),
    elongation: fit.fwhmMajor / fit.fwhmMinor,
  }));
  const widths = used.map(({ fwhmPx }) => fwhmPx);
  return {
    shape,
    stars: used,
    scatterPx: spread(widths, median(widths)),
    profile: at.flatMap((values, k) => {
      if (values.length === 0) return [];
      const measured = median(values);
      return [{ r: k * STEP, measured, scatter: spread(values, measured), fitted: median(modelled[k]) }];
    }),
    residual: median(residuals),
    mean: pictures.map((values) => (values.length > 0 ? median(values) : 0)),
  };
}

/** The level on which a star stands: the median, beyond two FWHM, of what its profile leaves. */
function levelAround(
  plane: Float32Array,
  width: number,
  height: number,
  { x, y, peak }: ClearStar["fit"],
  psf: Profile,
  reach: number,
): number {
  const left: number[] = [];
  for (let v = Math.max(0, Math.round(y) - RADIUS); v <= Math.min(height - 1, Math.round(y) + RADIUS); v++)
    for (let u = Math.max(0, Math.round(x) - RADIUS); u <= Math.min(width - 1, Math.round(x) + RADIUS); u++)
      if (Math.hypot(u - x, v - y) > reach) left.push(plane[v * width + u] - peak * psf(u - x, v - y));
  return median(left);
}

/** A plane between its pixels, bilinear; the place must lie within it. */
function between(plane: Float32Array, width: number, x: number, y: number): number {
  const height = plane.length / width;
  const [i, j] = [Math.min(width - 2, Math.max(0, Math.floor(x))), Math.min(height - 2, Math.max(0, Math.floor(y)))];
  const [u, v] = [x - i, y - j];
  const k = j * width + i;
  return (
    (1 - v) * ((1 - u) * plane[k] + u * plane[k + 1]) + v * ((1 - u) * plane[k + width] + u * plane[k + width + 1])
  );
}
