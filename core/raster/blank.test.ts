import { createRandom } from "../numeric/random";
import { blankValue, frameWithoutBlank, withoutBlank } from "./blank";
import { frameOfRaster } from "./frameSource";
import { rasterOf } from "./raster";

const [W, H] = [160, 120];

/** A sky of noise with a turned frame's corners cut away to `value`. */
function padded(level: number, sigma: number, value: number, channels = 1, clip = -Infinity) {
  const random = createRandom(5);
  const isOut = (x: number, y: number) => x + y < 40 || x < 6 || (W - x) * 0.1 + (H - y) < 8;
  const planes = Array.from({ length: channels }, () =>
    Float32Array.from({ length: W * H }, (_, i) =>
      isOut(i % W, Math.floor(i / W)) ? value : Math.max(clip, level + sigma * random.normal()),
    ),
  );
  const out = planes[0].reduce((sum, _, i) => sum + Number(isOut(i % W, Math.floor(i / W))), 0);
  return { raster: rasterOf(W, H, planes), out };
}

test.each([
  ["far below the sky", padded(100, 5, 0)],
  ["of whole numbers", padded(20, 2, 0, 3)],
  ["within a sky that was subtracted", padded(0, 5, 0)],
  ["negative", padded(3, 1, -1000, 3)],
])("a border without data is found: %s", async (_, { raster, out }) => {
  const value = blankValue(raster);
  expect(value).toBe(raster.planes[0][0]);
  const read = await frameWithoutBlank(frameOfRaster(raster), value).read({ x: 0, y: 0, width: W, height: H });
  for (const plane of read.planes) expect(plane.filter((v) => v !== v)).toHaveLength(out);
  // What a frame was read from stays as it is.
  expect(raster.planes[0][0]).toBe(value);
});

test.each([
  ["a sky whose black is cut off", () => padded(0, 1, 0, 1, 0).raster],
  ["a sky that is cut off nearly everywhere", () => padded(-2, 1, 0, 1, 0).raster],
  ["a border of two pixels", () => framed(2)],
  ["a border that is white", () => padded(0.5, 0.01, 1).raster],
  ["a single value", () => rasterOf(W, H, [new Float32Array(W * H)])],
  ["a disc on black that fades to it", disc],
])("%s is data", (_, make) => {
  const raster = make();
  const before = raster.planes[0].slice();
  expect(blankValue(raster)).toBeNull();
  expect(withoutBlank(raster, null).planes[0]).toEqual(before);
});

test("one channel alone at the value is data", () => {
  const { raster } = padded(100, 5, 0, 3);
  raster.planes[1].fill(7);
  expect(blankValue(raster)).toBeNull();
});

function framed(px: number) {
  const { raster } = padded(100, 5, 100);
  const random = createRandom(2);
  raster.planes[0].forEach((_, i) => {
    const [x, y] = [i % W, Math.floor(i / W)];
    raster.planes[0][i] = Math.min(x, y, W - 1 - x, H - 1 - y) < px ? 0 : 100 + 5 * random.normal();
  });
  return raster;
}

function disc() {
  const plane = Float32Array.from({ length: W * H }, (_, i) => {
    const r = Math.hypot((i % W) - W / 2, Math.floor(i / W) - H / 2);
    return Math.max(0, Math.round(200 / (1 + Math.exp((r - 30) / 4)) - 2));
  });
  return rasterOf(W, H, [plane]);
}
