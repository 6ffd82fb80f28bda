import * as z from "zod";
import { autocovariance, filterCovariance, HAAR_BANDS, haarSplit, haarTaps } from "../measure";
import { componentsOf } from "./components";
import type { Fact } from "./fact";
import { noiseModel, stabilisedRaster } from "./noiseModel";
import { bandOf, mixtureBand, MIXTURE_SCALES } from "./mixture";

const schema = z.object({
  /** Of each component of the stabilised channels, by scale and by band (measure/haar.ts). */
  components: z.array(z.array(z.array(mixtureBand))),
});
export type HaarMixtureFact = z.infer<typeof schema>;

/** What distinguishes signal from noise in each band of undecimated Haar wavelets, as mixture.ts has it for starlets. */
export const haarMixture: Fact<HaarMixtureFact> = {
  id: "haarMixture",
  follows: "patches",
  title: "signal and noise by scale and direction",
  schema,
  async measure(input, job) {
    const samples = await input.samples();
    const known = await input.fact(noiseModel);
    const gaps = await input.gaps();
    const stabilised = samples.map((piece, k) =>
      componentsOf(stabilisedRaster(piece, known, input.places[k].x, input.places[k].y)),
    );
    const components: HaarMixtureFact["components"] = [];
    for (const [k, lags] of known.covariance.entries()) {
      const noise = Float64Array.from(lags);
      const current = stabilised.map((planes) => planes[k]);
      const scales = [];
      for (let scale = 0; scale < MIXTURE_SCALES; scale++) {
        await job.breathe();
        const split = current.map((plane, n) => haarSplit(plane, samples[n].width, scale));
        scales.push(
          HAAR_BANDS.map(({ across, down }, b) => {
            const pieces = split.map(({ bands }, n) => ({
              width: samples[n].width,
              height: samples[n].height,
              plane: gaps[n] ? bands[b].map((v, i) => (gaps[n]?.[i] === 1 ? NaN : v)) : bands[b],
            }));
            const expected = filterCovariance(noise, haarTaps(scale, across), haarTaps(scale, down), 1 << scale, 4);
            return bandOf(expected, autocovariance(pieces, job.kernels, 4, 1 << scale));
          }),
        );
        split.forEach(({ mean }, n) => (current[n] = mean));
      }
      components.push(scales);
    }
    return { components };
  },
  noisier: ({ components }, times) => ({
    components: components.map((scales) =>
      scales.map((bands) => bands.map((one) => ({ ...one, lambda: one.lambda.map((v) => v / times ** 2) }))),
    ),
  }),
};
