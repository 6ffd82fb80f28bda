import type { JobHandle } from "../job";
import type { StarFit } from "../measure";
import { findStars } from "../measure";
import { isKept } from "./dropped";
import type { FactInput } from "./fact";

/** Fewer stars show no shape. */
export const LEAST_STARS = 5;
/** The clearest, at most so many of each piece. */
const FITS = 60;
const LEAST_SNR = 30;
/** A star nearer than this to the brightest sample may be clipped. */
const CLIPPED_SHARE = 0.7;
/** No other star of a thirtieth of its light is so near to one that stands alone. */
const ALONE_PX = 12;

/** A star that shows the PSF: its fit, and the piece that holds it. */
export interface ClearStar {
  piece: number;
  fit: StarFit;
}

/** By channel: the clear, unclipped stars that stand alone, without those that were dropped. */
export async function clearStars(input: FactInput, job: JobHandle): Promise<ClearStar[][]> {
  const samples = await input.field.samples();
  const kept = { places: input.field.places, dropped: input.dropped };
  const channels: ClearStar[][] = [];
  for (const [c] of samples[0].planes.entries()) {
    const brightest = samples.reduce(
      (most, { planes }) => planes[c].reduce((m, v) => (v > m ? v : m), most),
      -Infinity,
    );
    const search = async (searchAgain: boolean): Promise<ClearStar[]> => {
      const found: ClearStar[] = [];
      for (const [piece, { planes, width, height }] of samples.entries()) {
        await job.breathe();
        const stars = findStars(planes[c], width, height, job.kernels, { fits: FITS, searchAgain });
        for (const { x, y, fit, snr, flux } of stars) {
          if (!fit || snr < LEAST_SNR || fit.peak > CLIPPED_SHARE * (brightest - fit.background)) continue;
          const isAlone = stars.every(
            (o) => o.flux < 0.03 * flux || (o.x === x && o.y === y) || Math.hypot(o.x - x, o.y - y) > ALONE_PX,
          );
          if (isAlone && isKept(kept, piece)(fit)) found.push({ piece, fit });
        }
      }
      return found;
    };
    const usual = await search(true);
    // Beside stars that are drawn out a second search finds more than there are: none would stand alone.
    channels.push(usual.length < LEAST_STARS ? await search(false) : usual);
  }
  return channels;
}
