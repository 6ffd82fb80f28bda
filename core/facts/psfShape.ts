import { z } from "zod";
import type { JobHandle } from "../job";
import type { StarFit } from "../measure";
import { findStars } from "../measure";
import type { Raster } from "../raster";
import type { Fact } from "./fact";

/** Fewer stars tell no shape. */
const LEAST_STARS = 5;
/** The clearest, at most so many of each piece. */
const FITS = 60;
const LEAST_SNR = 30;
/** A star nearer than this to the brightest sample may be clipped. */
const CLIPPED_SHARE = 0.7;
const [LEAST_BETA, MOST_BETA] = [1.6, 8];

const schema = z.object({
  /** By channel: an elliptical Moffat profile; null where too few stars tell it. */
  channels: z.array(
    z
      .object({ fwhmMajor: z.number(), fwhmMinor: z.number(), angle: z.number(), beta: z.number(), stars: z.number() })
      .nullable(),
  ),
});
export type PsfShapeFact = z.infer<typeof schema>;

/**
 * The PSF of each channel: medians of β, and of the elements of the matrix (A B; B C) of 1 + A x² + 2 B xy + C y² in units of the width, over the fits of the clearest unclipped stars that no other is near to.
 * Sources: Moffat 1969, A&A 3, 455; own.
 */
export const psfShape: Fact<PsfShapeFact> = {
  id: "psfShape",
  title: "PSF of each channel",
  schema,
  async measure(look, job) {
    const samples = await look.samples();
    const brightest = samples[0].planes.map((_, c) =>
      samples.reduce((most, { planes }) => planes[c].reduce((m, v) => (v > m ? v : m), most), -Infinity),
    );
    const channels = [];
    for (const [c] of samples[0].planes.entries()) {
      await job.breathe();
      const shape = (searchAgain: boolean) =>
        shapeOf(samples.flatMap((piece) => clearFits(piece, c, brightest[c], searchAgain, job)));
      // Beside stars that are drawn out a second search finds more than there are: none would stand alone.
      channels.push(shape(true) ?? shape(false));
    }
    return { channels };
  },
  noisier: (value) => value,
};

/** Fits of the clear, unclipped stars of a channel that stand alone. */
function clearFits(
  { planes, width, height }: Raster,
  c: number,
  brightest: number,
  searchAgain: boolean,
  job: JobHandle,
): StarFit[] {
  const stars = findStars(planes[c], width, height, job.kernels, { fits: FITS, searchAgain });
  return stars.flatMap(({ x, y, fit, snr, flux }) => {
    if (!fit || snr < LEAST_SNR || fit.peak > CLIPPED_SHARE * (brightest - fit.background)) return [];
    const isAlone = stars.every((o) => o.flux < 0.03 * flux || (o.x === x && o.y === y) || Math.hypot(o.x - x, o.y - y) > 12); // prettier-ignore
    return isAlone ? [fit] : [];
  });
}

function shapeOf(fits: readonly StarFit[]): PsfShapeFact["channels"][number] {
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
