import { createRandom } from "../numeric/random";
import { paintStars, wasmKernels } from "../testing/fixtures";
import { gaussianCorrelation } from "./covariance";
import { drawPoints, findPoints } from "./matchedFilter";

const kernels = wasmKernels();
const shape = { fwhmPx: 3, beta: 3.5 };
const SIDE = 200;
const white = [...gaussianCorrelation(0)];

/** Stars in noise of σ 1, at `snr` of what a matched filter of white noise makes of them. */
function field(snr: number, seed: number) {
  const places = Array.from({ length: 81 }, (_, k) => ({
    x: 20 + 20 * (k % 9) + 0.37 * (k % 3),
    y: 20 + 20 * Math.floor(k / 9) - 0.21 * (k % 4),
  }));
  // Height of a star over σ of its fitted height: √Σ p² of the profile less its mean.
  const dot = paintStars(11, 11, [{ x: 5, y: 5, flux: 1 }], { noise: 0, level: 0 }).planes[0];
  const mean = dot.reduce((a, b) => a + b, 0) / 121;
  const flux = snr / Math.sqrt(dot.reduce((sum, v) => sum + (v - mean) ** 2, 0));
  const raster = paintStars(
    SIDE,
    SIDE,
    places.map((place) => ({ ...place, flux })),
    { noise: 1, level: 0, seed },
  );
  return { places, plane: raster.planes[0], flux };
}
const nearest = (points: { x: number; y: number }[], { x, y }: { x: number; y: number }) =>
  Math.min(Infinity, ...points.map((point) => Math.hypot(point.x - x, point.y - y)));

test("stars of twice the threshold are found where they are; their heights are right in the mean", () => {
  const { places, plane, flux } = field(8, 4);
  const points = findPoints([plane], SIDE, SIDE, shape, white, 4, kernels);
  const found = places.filter((place) => nearest(points, place) < 1);
  expect(found.length).toBeGreaterThanOrEqual(79);
  const alpha = 3 / (2 * Math.sqrt(2 ** (1 / 3.5) - 1));
  const height = (flux * 2.5) / (Math.PI * alpha * alpha);
  const heights = points.filter((point) => nearest(places, point) < 1).map((point) => point.heights[0]);
  const mean = heights.reduce((a, b) => a + b, 0) / heights.length;
  // Off the middle of a pixel the filter sees a little less.
  expect(mean / height).toBeGreaterThan(0.93);
  expect(mean / height).toBeLessThan(1.05);
});

test("noise alone has hardly a point: of 40,000 pixels fewer than five above 4 σ, more above 3", () => {
  const random = createRandom(6);
  const plane = Float32Array.from({ length: SIDE * SIDE }, () => random.normal());
  const count = (threshold: number) => findPoints([plane], SIDE, SIDE, shape, white, threshold, kernels).length;
  expect(count(4)).toBeLessThan(5);
  expect(count(3)).toBeGreaterThan(count(4));
});

test("what is drawn and taken off again leaves the picture; bright stars look after themselves", () => {
  const { plane } = field(8, 5);
  const copy = plane.slice();
  const points = findPoints([plane], SIDE, SIDE, shape, white, 4, kernels);
  drawPoints([copy], SIDE, SIDE, points, shape, -1);
  const clear = (v: Float32Array) => v.reduce((sum, value) => sum + value * value, 0);
  expect(clear(copy)).toBeLessThan(0.9 * clear(plane));
  drawPoints([copy], SIDE, SIDE, points, shape, 1);
  expect(Math.max(...copy.map((v, i) => Math.abs(v - plane[i])))).toBeLessThan(1e-5);
  expect(findPoints([field(200, 5).plane], SIDE, SIDE, shape, white, 4, kernels).filter((p) => p.weight > 0.5)).toEqual(
    [],
  );
});

test("a crop has the same points; planes narrower than the filter and no noise have none", () => {
  const { plane } = field(6, 7);
  const whole = findPoints([plane], SIDE, SIDE, shape, white, 4, kernels);
  const [x0, y0, w, h] = [31, 47, 90, 80];
  const part = Float32Array.from({ length: w * h }, (_, k) => plane[(y0 + Math.floor(k / w)) * SIDE + x0 + (k % w)]);
  const inner = (points: typeof whole, dx: number, dy: number) =>
    points
      .map((point) => ({ ...point, x: point.x + dx, y: point.y + dy }))
      .filter(({ x, y }) => x > x0 + 10 && y > y0 + 10 && x < x0 + w - 10 && y < y0 + h - 10)
      .map(({ x, y, weight, heights }) => [x.toFixed(6), y.toFixed(6), weight, ...heights]);
  expect(inner(findPoints([part], w, h, shape, white, 4, kernels), x0, y0)).toEqual(inner(whole, 0, 0));
  expect(findPoints([new Float32Array(80)], 8, 10, shape, white, 4, kernels)).toEqual([]);
  expect(
    findPoints(
      [plane],
      SIDE,
      SIDE,
      shape,
      white.map(() => 0),
      4,
      kernels,
    ),
  ).toEqual([]);
});
