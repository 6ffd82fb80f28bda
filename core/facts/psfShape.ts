import { z } from "zod";
import type { StarFit } from "../measure";
import { fitPsfField, shapeOfWidths, widthsOf } from "../measure";
import type { ClearStar } from "./clearStars";
import { clearStars, LEAST_STARS } from "./clearStars";
import type { Fact } from "./fact";

const [LEAST_BETA, MOST_BETA] = [1.6, 8];

const numbers = z.array(z.number());
const field = z.object({
  ...{ x0: z.number(), y0: z.number(), scale: z.number(), degree: z.number(), tilePx: z.number() },
  ...{ terms: z.array(numbers), least: numbers, most: numbers },
});

/** An elliptical Moffat profile, of how many stars, and how it changes over the picture where it does (measure/psfField.ts). */
export const starShapeSchema = z.object({
  ...{ fwhmMajor: z.number(), fwhmMinor: z.number(), angle: z.number(), beta: z.number(), stars: z.number() },
  field: field.nullable().default(null),
});
export type FieldShape = z.infer<typeof starShapeSchema>;

const schema = z.object({
  /** By channel; null where too few stars tell it. */
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
  async measure(look, job) {
    const channels = await clearStars(look, job);
    return { channels: channels.map((stars) => shapeOf(inPicture(stars, look.field.places))) };
  },
  noisier: (value) => value,
};

/** The PSF that stars tell; null where they are too few. */
export function shapeOf(stars: readonly PlacedFit[]): PsfShapeFact["channels"][number] {
  if (stars.length < LEAST_STARS) return null;
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
