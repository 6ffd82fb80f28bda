import { EigenvalueDecomposition, Matrix } from "ml-matrix";
import * as z from "zod";
import type { JobHandle } from "../job";
import { NEIGHBOURS } from "../kernels";
import { autocovariance, bandCovariance } from "../measure";
import type { Raster } from "../raster";
import { componentsOf } from "./components";
import type { Fact } from "./fact";
import { noiseModel, stabilisedRaster } from "./noiseModel";

/** Starlet scales that are distinguished. */
export const MIXTURE_SCALES = 4;

export const mixtureBand = z.object({
  /** Rows of 25, and what each axis gives back to the middle (kernels/mixture). */
  project: z.array(z.number()),
  back: z.array(z.number()),
  /** Variance of the signal along each axis over that of the noise. */
  lambda: z.array(z.number()),
});

const schema = z.object({
  /** Of each component of the stabilised channels (components.ts), by scale; without axes where there is no noise. */
  components: z.array(z.array(mixtureBand)),
});
export type MixtureFact = z.infer<typeof schema>;

/** Axes of a neighbourhood that are distinguished, of 25. */
const STRONG_AXES = 7;
/** Least share of the signal's variance along an axis: no axis is without any. */
const LEAST_SIGNAL = 1e-4;

/**
 * What distinguishes signal from noise at each starlet scale: the covariance of the noise
 * (grain.ts) in a neighbourhood of 5 × 5 coefficients, and that of the stabilised picture. With S
 * Sᵀ the
 * noise's covariance and Q Λ Qᵀ that of the signal seen in S⁻¹, project = Qᵀ S⁻¹, back = the middle row of S Q, lambda = Λ.
 * Source: Portilla, Strela, Wainwright & Simoncelli 2003, IEEE TIP 12, 1338.
 */
export const mixture: Fact<MixtureFact> = {
  id: "mixture",
  follows: "patches",
  title: "signal and noise by scale",
  schema,
  async measure(input, job) {
    const samples = await input.samples();
    const known = await input.fact(noiseModel);
    const gaps = await input.gaps();
    const stabilised = samples.map((piece, k) => stabilisedRaster(piece, known, input.places[k].x, input.places[k].y));
    const components = [];
    for (const [k, noise] of known.covariance.entries()) {
      await job.breathe();
      components.push(bandsOf(stabilised, gaps, Float64Array.from(noise), k, job));
    }
    return { components };
  },
  noisier: (value, times) => ({
    components: value.components.map((bands) =>
      bands.map((one) => ({ ...one, lambda: one.lambda.map((v) => v / times ** 2) })),
    ),
  }),
};

function bandsOf(
  stabilised: Raster[],
  gaps: (Uint8Array | null)[],
  noise: Float64Array,
  k: number,
  job: JobHandle,
): z.infer<typeof mixtureBand>[] {
  const current = stabilised.map((raster) => ({ ...raster, plane: componentsOf(raster)[k] }));
  return Array.from({ length: MIXTURE_SCALES }, (_, scale) => {
    const details = current.map((piece, n) => {
      const gap = gaps[n];
      const smooth = job.kernels.starletSmooth(piece.plane, piece.width, piece.height, scale);
      const plane = piece.plane.map((v, i) => (gap?.[i] === 1 ? NaN : v - smooth[i]));
      piece.plane = smooth;
      return { plane, width: piece.width, height: piece.height };
    });
    return bandOf(bandCovariance(noise, scale, 4), autocovariance(details, job.kernels, 4, 1 << scale));
  });
}

/** A band from the autocovariances of noise and picture at lags up to 4 steps. */
export function bandOf(noise: Float64Array, picture: Float64Array): z.infer<typeof mixtureBand> {
  const matrixOf = (lags: Float64Array) =>
    new Matrix(
      Array.from({ length: NEIGHBOURS }, (_r, i) =>
        Array.from({ length: NEIGHBOURS }, (_c, j) => {
          const du = (j % 5) - (i % 5);
          const dv = Math.floor(j / 5) - Math.floor(i / 5);
          return lags[(dv + 4) * 9 + du + 4];
        }),
      ),
    );
  const eigen = (matrix: Matrix) => new EigenvalueDecomposition(matrix, { assumeSymmetric: true });
  const turned = (vectors: Matrix, values: number[]) => vectors.mmul(Matrix.diag(values)).mmul(vectors.transpose());
  const ofNoise = eigen(matrixOf(noise));
  const floor = 1e-6 * Math.max(...ofNoise.realEigenvalues);
  const roots = ofNoise.realEigenvalues.map((v) => Math.sqrt(Math.max(floor, v)));
  if (!(floor > 0)) return { project: [], back: [], lambda: [] };
  const vectors = ofNoise.eigenvectorMatrix;
  const root = turned(vectors, roots);
  const inverse = turned(
    vectors,
    roots.map((v) => 1 / v),
  );
  const total = matrixOf(picture);
  const least = (LEAST_SIGNAL * total.trace()) / NEIGHBOURS;
  const rest = eigen(Matrix.sub(total, matrixOf(noise)));
  const signal = turned(
    rest.eigenvectorMatrix,
    rest.realEigenvalues.map((v) => Math.max(least, v)),
  );
  const seen = eigen(inverse.mmul(signal).mmul(inverse));
  const axes = seen.eigenvectorMatrix;
  const project = axes.transpose().mmul(inverse);
  const back = root.mmul(axes);
  const middle = NEIGHBOURS >> 1;
  // The strongest first; the weak ones, which show little of how strong the signal is, are one axis along what they give to the middle.
  const order = seen.realEigenvalues.map((_, k) => k).sort((p, q) => seen.realEigenvalues[q] - seen.realEigenvalues[p]);
  const [strong, weak] = [order.slice(0, STRONG_AXES), order.slice(STRONG_AXES)];
  const given = (k: number) => back.get(middle, k);
  const lambda = (k: number) => Math.max(0, seen.realEigenvalues[k]);
  const length = Math.sqrt(weak.reduce((sum, k) => sum + given(k) ** 2, 0)) || 1;
  const together = Array.from({ length: NEIGHBOURS }, (_, n) =>
    weak.reduce((sum, k) => sum + (given(k) / length) * project.get(k, n), 0),
  );
  return {
    project: [...strong.flatMap((k) => project.getRow(k)), ...together],
    back: [...strong.map(given), length],
    lambda: [...strong.map(lambda), weak.reduce((sum, k) => sum + (given(k) / length) ** 2 * lambda(k), 0)],
  };
}
