import * as z from "zod";
import type { StarFit } from "../measure";
import { fitPsfField, shapeAt, shapeOfWidths, widthsOf } from "../measure";
import { medianInPlace, SIGMA_PER_MAD } from "../raster";
import type { ClearStar } from "./clearStars";
import { clearStars, LEAST_STARS } from "./clearStars";
import type { Fact } from "./fact";

const [LEAST_BETA, MOST_BETA] = [1.6, 8];
/** A width that is known no better than by this share is none; one worse than the second, and so many times worse than another channel's, gives way to that. */
const [MOST_ERROR, UNSURE, LESS_SURE] = [0.1, 0.05, 2.5];
/** σ of a median over that of the mean of as many normal values. */
const MEDIAN_ERROR = Math.sqrt(Math.PI / 2);

const numbers = z.array(z.number());
const field = z.object({
  x0: z.number(),
  y0: z.number(),
  scale: z.number(),
  degree: z.number(),
  tilePx: z.number(),
  terms: z.array(numbers),
  least: numbers,
  most: numbers,
});

/** An elliptical Moffat profile, of how many stars, and how it changes over the picture where it does (measure/psfField.ts). */
export const starShapeSchema = z.object({
  fwhmMajor: z.number(),
  fwhmMinor: z.number(),
  angle: z.number(),
  beta: z.number(),
  stars: z.number(),
  field: field.nullable().default(null),
});
export type FieldShape = z.infer<typeof starShapeSchema>;

const schema = z.object({
  /** By channel; null where its stars do not tell it. */
  channels: z.array(starShapeSchema.nullable()),
});
export type PsfShapeFact = z.infer<typeof schema>;

/**
 * The PSF of each channel: medians of β, and of the elements of the matrix (A B; B C) of 1 + A x² + 2 B xy + C y² in units of the width, over the fits of the clearest unclipped stars that no other is near to; and how these widths change over the picture, where they do.
 * Sources: Moffat 1969, A&A 3, 455; own.
 */
export const psfShape: Fact<PsfShapeFact> = {
  id: "psfShape",
  follows: "stars",
  title: "PSF of each channel",
  schema,
  async measure(input, job) {
    const channels = await clearStars(input, job);
    return { channels: shapesOf(channels.map((stars) => inPicture(stars, input.field.places))) };
  },
  noisier: (value) => value,
};

/**
 * The PSF that the stars of each channel tell. Null where they are too few, or in all channels so unlike each other that they are no stars: galaxies, knots, craters. A channel that is much less sure than the surest takes that one's: a few galaxies in it say less of
 * the PSF than the stars of another.
 */
export function shapesOf(channels: readonly (readonly PlacedFit[])[]): PsfShapeFact["channels"] {
  const known = channels.map((stars) => (stars.length < LEAST_STARS ? null : shapeOf(stars)));
  const errors = known.map((shape, c) => (shape ? errorOf(channels[c], shape) : Infinity));
  const surest = errors.indexOf(Math.min(...errors));
  return known.map((shape, c) => {
    if (!shape || !(errors[surest] < MOST_ERROR)) return null;
    return errors[c] > UNSURE && errors[c] > LESS_SURE * errors[surest] ? known[surest] : shape;
  });
}

/** The error of the width as a share of it: of a median, from the spread of the stars about it (about the field's width, where it changes). */
function errorOf(stars: readonly PlacedFit[], shape: FieldShape): number {
  const off = stars.map(({ x, y, fit }) => {
    const { fwhmMajor, fwhmMinor } = shape.field ? shapeAt(shape.field, shape.beta, x, y) : shape;
    return Math.abs(Math.log((fit.fwhmMajor * fit.fwhmMinor) / (fwhmMajor * fwhmMinor))) / 2;
  });
  return (MEDIAN_ERROR * SIGMA_PER_MAD * medianInPlace(Float64Array.from(off))) / Math.sqrt(stars.length);
}

function shapeOf(stars: readonly PlacedFit[]): FieldShape {
  const middle = (values: number[]) => values.sort((p, q) => p - q)[values.length >> 1];
  const beta = Math.min(MOST_BETA, Math.max(LEAST_BETA, middle(stars.map(({ fit }) => fit.beta))));
  const placed = stars.map(({ x, y, fit }) => ({ x, y, widths: widthsOf(fit) }));
  const [xx, xy, yy] = [0, 1, 2].map((k) => middle(placed.map(({ widths }) => widths[k])));
  return { ...shapeOfWidths([xx, xy, yy], beta), stars: stars.length, field: fitPsfField(placed) };
}

/** Stars of pieces, in px of the picture. */
export const inPicture = (stars: readonly ClearStar[], places: readonly { x: number; y: number }[]): PlacedFit[] =>
  stars.map(({ piece, fit }) => ({ x: places[piece].x + fit.x, y: places[piece].y + fit.y, fit }));

interface PlacedFit {
  x: number;
  y: number;
  fit: StarFit;
}
