import * as z from "zod";
import type { Kernels } from "../kernels";
import { blurOfEnergies } from "../measure";
import type { Raster } from "../raster";
import { meanPlane, quantile } from "../raster";
import type { Fact } from "./fact";

/** Starlet scales whose energy is measured: detail of 1 … 32 px. */
const SCALES = 6;
/** One of so many pixels says how much is lit. */
const SPARSE = 5;

const schema = z.object({
  /** FWHM in px; null where noise hides the fine detail. */
  fwhmPx: z.number().nullable(),
});
export type DetailBlurFact = z.infer<typeof schema>;

/**
 * How a picture without stars is blurred, as the course of its energy over the sizes of detail
 * shows it (measure/detailBlur.ts); what is noise is measured by the halves, without them it counts
 * as detail.
 */
export const detailBlur: Fact<DetailBlurFact> = {
  id: "detailBlur",
  title: "blur, from the detail",
  schema,
  async measure(input, job) {
    const samples = await input.samples();
    const all = energiesOf(samples, job.kernels);
    const halves = await input.halfDifferences();
    const noise = halves ? energiesOf(halves, job.kernels) : all.map(() => 0);
    const fwhmPx = blurOfEnergies(
      all.map((e, j) => e - noise[j]),
      noise,
      litShare(samples, job.kernels) < MOST_LIT,
    );
    return { fwhmPx };
  },
  noisier: (value) => value,
};

/** What is brighter than the dark end by a share of the range counts as lit; a planet or a disc on a dark sky lights no more of a picture than this, a surface nearly all. */
const [DARK_END, BRIGHT_END, LIT, MOST_LIT] = [0.02, 0.995, 0.15, 0.6];

/** The share of pixels, smoothed over some 8 px, that are lit. */
function litShare(pieces: readonly Raster[], kernels: Kernels): number {
  const smooth = pieces.map((piece) =>
    [0, 1, 2].reduce(
      (plane: Float32Array, j) => kernels.starletSmooth(plane, piece.width, piece.height, j),
      meanPlane(piece),
    ),
  );
  const values = smooth.flatMap((plane) => [...plane.filter((_, i) => i % SPARSE === 0)]);
  const [dark, bright] = [quantile(values, DARK_END), quantile(values, BRIGHT_END)];
  return values.filter((v) => v > dark + LIT * (bright - dark)).length / values.length;
}

/** Mean square of the starlet coefficients of each scale. */
function energiesOf(pieces: readonly Raster[], kernels: Kernels): number[] {
  const sums = new Array<number>(SCALES).fill(0);
  let count = 0;
  for (const piece of pieces) {
    const { width, height } = piece;
    let current: Float32Array = meanPlane(piece);
    count += current.length;
    for (let j = 0; j < SCALES; j++) {
      const smooth = kernels.starletSmooth(current, width, height, j);
      for (let i = 0; i < smooth.length; i++) sums[j] += (current[i] - smooth[i]) ** 2;
      current = smooth;
    }
  }
  return sums.map((sum) => sum / count);
}
