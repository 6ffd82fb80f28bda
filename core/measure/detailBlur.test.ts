import { blurredField, exposed, FIELD_SIDE as SIDE, powerLawField } from "../testing/fields";
import { afterStep, stepOf } from "../testing/chainOn";
import { createRandom } from "../numeric/random";
import { meanAndDeviation, rasterOf } from "../raster";
import { blurOfEnergies, overBands, roundPsf } from "./index";

/** Energies of six starlet scales of a picture whose energy falls as f^−slope, blurred. */
function law(fwhmPx: number, slope: number): number[] {
  const out = new Array<number>(6).fill(0);
  overBands(roundPsf(fwhmPx, 3.5), slope, 6, (j, filter, transfer, energy) => {
    out[j] += (filter * transfer) ** 2 * energy;
  });
  // So coarse a scale is hardly blurred, and the picture ends.
  out[5] = out[4] * 2 ** (0.9 * (slope - 2));
  return out;
}
const none = [0, 0, 0, 0, 0, 0];

test("energies of a power law, of a Moffat of 2.5 … 8 px, are those of a separate computation", () => {
  // Source: numpy, the same sums over the frequencies of a transform of 512 × 512: steps from scale to scale in octaves.
  const expected: [number, number, number[]][] = [
    [2.5, 2, [1.71, 0.82, 0.3, 0.09]],
    [4, 3, [3.03, 2.2, 1.52, 1.17]],
    [8, 3, [3.66, 3.09, 2.24, 1.54]],
  ];
  for (const [fwhm, slope, steps] of expected) {
    const energies = law(fwhm, slope);
    steps.forEach((step, j) => expect(Math.abs(Math.log2(energies[j + 1] / energies[j]) - step)).toBeLessThan(0.05));
  }
});

test.each([1.5, 2.5, 4, 6, 8])("a blur of %f px is measured from such energies, whatever they fall by", (fwhm) => {
  for (const slope of [2, 2.5, 3]) {
    const energies = law(fwhm, slope);
    expect(Math.abs((blurOfEnergies(energies, none) ?? 0) / fwhm - 1)).toBeLessThan(0.05);
  }
});

test("noise that hides the finest scale leaves four to measure it by; noise that hides two, or no light at all, says nothing", () => {
  const energies = law(4, 3);
  const hidden = (scales: number) => energies.map((e, j) => (j < scales ? 1.5 * e : 0.01 * e));
  expect(Math.abs((blurOfEnergies(energies, hidden(1)) ?? 0) - 4)).toBeLessThan(0.4);
  expect(blurOfEnergies(energies, hidden(2))).toBeNull();
  expect(blurOfEnergies(none, none)).toBeNull();
  expect(blurOfEnergies([...energies.slice(0, 3), -1, ...energies.slice(4)], none)).toBeNull();
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
