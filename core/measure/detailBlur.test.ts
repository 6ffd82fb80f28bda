import { blurredField, exposed, FIELD_SIDE as SIDE, powerLawField } from "../testing/fields";
import { afterStep, stepOf } from "../testing/chainOn";
import { createRandom } from "../numeric/random";
import { meanAndDeviation, rasterOf } from "../raster";
import { blurOfPower, powerOfCovariance, radialPower, roundPsf, SLOPES } from "./index";
import { spectrumOf } from "./spectrum";

/** Frequencies at the middle of each bin, in cycles per px. */
const FREQUENCIES = Array.from({ length: 56 }, (_, k) => (k + 4.5) / 128);
const count = Float64Array.from(FREQUENCIES, (f) => 3000 * f);
const NOTHING = new Float64Array(FREQUENCIES.length);

/** Power of a picture that falls as f^−slope, blurred by a Moffat: its transfer from a transform of a larger PSF. */
function lawOf(fwhmPx: number, slope: number): Float64Array {
  const { re } = spectrumOf(roundPsf(fwhmPx, 3.5, 40), 256);
  return Float64Array.from(FREQUENCIES, (f, k) => f ** -slope * re[2 * k + 9] ** 2);
}

test("white noise of σ 2 has power 4 at every frequency, as its autocovariance says", () => {
  const random = createRandom(9);
  const plane = Float32Array.from({ length: 512 * 512 }, () => 5 + 2 * random.normal());
  const { power } = radialPower([{ plane, width: 512, height: 512 }]);
  for (const v of power) expect(Math.abs(v / 4 - 1)).toBeLessThan(0.2);
  const white = new Float64Array(17 * 17);
  white[8 * 17 + 8] = 4;
  for (const v of powerOfCovariance(white)) expect(v).toBeCloseTo(4, 9);
  // A mean of two neighbours along x: (1 + cos 2π u)/2, at (u, v) of the lowest bin nearly 1.
  const pair = new Float64Array(17 * 17);
  pair[8 * 17 + 8] = 0.5;
  pair[8 * 17 + 7] = pair[8 * 17 + 9] = 0.25;
  expect(powerOfCovariance(pair)[0]).toBeGreaterThan(0.97);
});

test.each([2.5, 4, 6, 8])("a blur of %f px is measured from such power, whatever it falls by", (fwhm) => {
  const found = (slope: number) => blurOfPower({ power: lawOf(fwhm, slope), count }, NOTHING, SLOPES.surface) ?? 0;
  for (const slope of [2.4, 2.8, 3.2]) expect(Math.abs(found(slope) / fwhm - 1)).toBeLessThan(0.15);
  expect(Math.abs(found(2.8) - fwhm)).toBeLessThan(0.11);
});

test("noise takes over from a frequency on, and what lies below says the same; little above it says nothing", () => {
  const light = lawOf(4, 2.8);
  const withNoise = (level: number) => {
    const noise = NOTHING.map(() => level);
    return blurOfPower({ power: light.map((v) => v + level), count }, noise, SLOPES.surface);
  };
  expect(Math.abs((withNoise(light[20]) ?? 0) - 4)).toBeLessThan(0.4);
  expect(withNoise(20 * light[3])).toBeNull();
  expect(blurOfPower({ power: NOTHING, count }, NOTHING, SLOPES.surface)).toBeNull();
});

/** Hills of all sizes. */
const hills = powerLawField(3, 3).map((v) => 1 + 0.1 * v);

/** The hills as a night shows them, with halves. */
function seen(fwhmPx: number, sigma: number) {
  const light = fwhmPx > 0 ? blurredField(hills, roundPsf(fwhmPx, 3.5)) : hills;
  const random = createRandom(8);
  const [a, b] = [0, 1].map(() => light.map((v) => v + Math.SQRT2 * sigma * random.normal()));
  const picture = rasterOf(SIDE, SIDE, [a.map((v, i) => (v + b[i]) / 2)]);
  return { picture, a: rasterOf(SIDE, SIDE, [a]), b: rasterOf(SIDE, SIDE, [b]) };
}
const error = (plane: Float32Array) => {
  const inside = [...hills.keys()].filter((i) => Math.min(i % SIDE, SIDE - (i % SIDE), i / SIDE, SIDE - i / SIDE) > 40);
  return meanAndDeviation(inside.map((i) => plane[i] - hills[i])).sigma;
};

test.each([3, 5])(
  "layers by the blur that the detail shows bring hills blurred by %i px nearer to what they were",
  async (fwhm) => {
    const of = seen(fwhm, 0.0005);
    const step = stepOf("deconvolve.energy-layers");
    expect(step.params.psf).toBe("detail");
    const { out, reason } = await afterStep(of, step);
    expect(reason).toBeNull();
    const known = await afterStep(of, stepOf("deconvolve.energy-layers", { psf: "typed", fwhmPx: fwhm }));
    expect(error(out.planes[0])).toBeLessThan(0.85 * error(of.picture.planes[0]));
    expect(error(out.planes[0])).toBeLessThan(1.02 * error(known.out.planes[0]));
  },
);

test("a small disc on a dark sky is measured by its edges and belts, not by its size", async () => {
  const texture = powerLawField(3, 12);
  const disc = Float32Array.from(texture, (v, i) => {
    const r = Math.hypot((i % SIDE) - 128, Math.floor(i / SIDE) - 128);
    return 0.02 + Math.min(1, Math.max(0, 17.5 - r)) * (0.6 + 0.05 * v);
  });
  const light = blurredField(disc, roundPsf(2.5, 3.5));
  const of = exposed([light], () => 0.001, 6);
  const [detail, known, wide] = await Promise.all(
    [{ psf: "detail" }, { psf: "typed", fwhmPx: 2.5 }, { psf: "typed", fwhmPx: 5 }].map((params) =>
      afterStep(of, stepOf("deconvolve.energy-layers", params)),
    ),
  );
  const away = ({ out }: typeof detail) =>
    meanAndDeviation([...disc.keys()].map((i) => out.planes[0][i] - disc[i])).sigma;
  expect(detail.reason).toBeNull();
  expect(away(detail)).toBeLessThan(1.05 * away(known));
  expect(away(detail)).toBeLessThan(0.8 * away(wide));
});

test("a picture that is sharp stays as it is, and one whose detail noise hides, each with its reason", async () => {
  const sharp = seen(0, 0.0002);
  for (const plane of [sharp.picture, sharp.a, sharp.b].map(({ planes }) => planes[0])) {
    const grains = createRandom(4);
    for (let i = 0; i < plane.length; i++) plane[i] += 0.1 * grains.normal();
  }
  expect((await afterStep(sharp, stepOf("deconvolve.energy-layers"))).reason).toContain("shows no blur");
  const noisy = seen(4, 0.2);
  const { out, reason } = await afterStep(noisy, stepOf("deconvolve.energy-layers"));
  expect(reason).toContain("hides the fine detail");
  expect(out.planes[0]).toEqual(noisy.picture.planes[0]);
});
