import { z } from "zod";
import type { StarFit } from "../measure";
import { clearStars, LEAST_STARS } from "./clearStars";
import type { Fact } from "./fact";

const [LEAST_BETA, MOST_BETA] = [1.6, 8];

/** An elliptical Moffat profile, and of how many stars. */
export const starShapeSchema = z.object({
  ...{ fwhmMajor: z.number(), fwhmMinor: z.number(), angle: z.number(), beta: z.number(), stars: z.number() },
});

const schema = z.object({
  /** By channel; null where too few stars tell it. */
  channels: z.array(starShapeSchema.nullable()),
});
export type PsfShapeFact = z.infer<typeof schema>;

/**
 * The PSF of each channel: medians of β, and of the elements of the matrix (A B; B C) of 1 + A x² + 2 B xy + C y² in units of the width, over the fits of the clearest unclipped stars that no other is near to.
 * Sources: Moffat 1969, A&A 3, 455; own.
 */
export const psfShape: Fact<PsfShapeFact> = {
  id: "psfShape",
  follows: "stars",
  title: "PSF of each channel",
  schema,
  async measure(look, job) {
    const channels = await clearStars(look, job);
    return { channels: channels.map((stars) => shapeOf(stars.map(({ fit }) => fit))) };
  },
  noisier: (value) => value,
};

/** The PSF that fits tell; null where they are too few. */
export function shapeOf(fits: readonly StarFit[]): PsfShapeFact["channels"][number] {
  if (fits.length < LEAST_STARS) return null;
  const middle = (values: number[]) => values.sort((p, q) => p - q)[values.length >> 1];
  const beta = Math.min(MOST_BETA, Math.max(LEAST_BETA, middle(fits.map((fit) => fit.beta))));
  // Widths as squares of FWHM along the axes: means of squares keep the turn.
  const elements = fits.map(({ fwhmMajor, fwhmMinor, angle }) => {
    const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
    const [p, q] = [fwhmMajor ** 2, fwhmMinor ** 2];
    return [p * cos * cos + q * sin * sin, (p - q) * cos * sin, p * sin * sin + q * cos * cos];
  });
  const [a, b, c] = [0, 1, 2].map((k) => middle(elements.map((of) => of[k])));
  const [mean, split] = [(a + c) / 2, Math.hypot((a - c) / 2, b)];
  return {
    fwhmMajor: Math.sqrt(mean + split),
    fwhmMinor: Math.sqrt(mean - split),
    angle: 0.5 * Math.atan2(2 * b, a - c),
    beta,
    stars: fits.length,
  };
}
