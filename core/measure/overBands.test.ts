import { overBands, roundPsf } from "./index";

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
