import { createRandom } from "../numeric/random";
import { rasterOf } from "../raster";
import {
  curvesOf,
  DEFAULT_DISPLAY,
  display,
  DISPLAY_CURVES,
  displayWords,
  histogramOf,
  mergedHistograms,
  withParams,
} from "./index";

const levels = { level: [0.01, 0.02, 0.015], sigma: [0.0005, 0.0007, 0.0006], white: 1 };

test("every display curve rises from 0 at black to 1 at white, one for each channel", () => {
  for (const { id, parameters } of DISPLAY_CURVES) {
    const curves = curvesOf({ display: { curve: id, params: parameters.defaults as Record<string, unknown> }, levels });
    expect(curves.length).toBe(3);
    for (const { black, white, at } of curves) {
      expect(at(black)).toBeCloseTo(0, 9);
      expect(at(white)).toBeCloseTo(1, 9);
      const steps = Array.from({ length: 100 }, (_, k) => at(black + ((k + 1) / 100) * (white - black)));
      expect(steps.every((v, k) => k === 0 || v > steps[k - 1])).toBe(true);
    }
  }
});

test("a display is checked by its curve, in words, and takes defaults; an unknown curve or setting out of range is refused", () => {
  expect(display.parse({ curve: "arcsinh" })).toEqual(DEFAULT_DISPLAY);
  expect(displayWords(withParams(DEFAULT_DISPLAY, { sky: 0.3 }))).toBe("sky at 0.3, black 2.5 σ below");
  expect(display.safeParse({ curve: "other" }).success).toBe(false);
  const wrong = display.safeParse({ curve: "arcsinh", params: { sky: 2 } });
  expect(wrong.error?.issues[0].path).toEqual(["params", "sky"]);
});

test("linear bins hold what lies in them; what is beside them, and what is missing, is counted apart", () => {
  const plane = Float32Array.of(-0.1, 0, 0.05, 0.25, 0.26, 0.999, 1, 3, NaN);
  const one = histogramOf(rasterOf(9, 1, [plane]), { from: 0, to: 1, bins: 4, spacing: "linear" });
  expect([...one.counts[0]]).toEqual([2, 2, 0, 1]);
  expect([one.below, one.above, one.total]).toEqual([[1], [2], [8]]);
  const two = mergedHistograms([one, one]);
  expect([...two.counts[0]]).toEqual([4, 4, 0, 2]);
  expect([two.below, two.above, two.total]).toEqual([[2], [4], [16]]);
  expect(() => histogramOf(rasterOf(9, 1, [plane]), { ...one, to: 0 })).toThrow(RangeError);
});

test("logarithmic bins are of equal ratio: a picture of equal shares by decade fills them alike", () => {
  const random = createRandom(4);
  const plane = Float32Array.from({ length: 50_000 }, () => 0.2 + 2 * 10 ** (-5 * random.uniform()));
  const [counts] = histogramOf(rasterOf(50_000, 1, [plane]), {
    from: 0.2,
    to: 2.2,
    bins: 10,
    spacing: "logarithmic",
  }).counts;
  for (const count of counts) expect(Math.abs(count / 5000 - 1)).toBeLessThan(0.06);
  // Half a decade each: 10^-2.5 … 10^-2 of the range is the sixth.
  const at = histogramOf(rasterOf(2, 1, [Float32Array.of(0.2 + 2 * 10 ** -2.2, 0.2)]), {
    from: 0.2,
    to: 2.2,
    bins: 10,
    spacing: "logarithmic",
  });
  expect([...at.counts[0]]).toEqual([1, 0, 0, 0, 0, 1, 0, 0, 0, 0]);
});
