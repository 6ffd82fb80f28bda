import { frameOfRaster, rasterOf } from "../raster";
import { wasmKernels } from "../testing/fixtures";
import { copyRegion, copySize } from "./copy";

const kernels = wasmKernels();
const smooth = (x: number, y: number) => 5 + Math.sin(x / 7) + Math.cos(y / 9);
const picture = frameOfRaster(
  rasterOf(61, 40, [Float32Array.from({ length: 61 * 40 }, (_, i) => smooth(i % 61, Math.floor(i / 61)))]),
);

test("an enlarged copy lies over the picture: pixel centres, not corners, are kept apart by the factor", async () => {
  expect(copySize(picture, 2)).toEqual({ width: 122, height: 80 });
  const copy = await copyRegion(picture, 2, "lanczos3", { x: 30, y: 20, width: 40, height: 30 }, kernels);
  for (const [x, y] of [
    [0, 0],
    [17, 11],
    [39, 29],
  ])
    expect(copy.planes[0][y * 40 + x]).toBeCloseTo(smooth((30 + x - 0.5) / 2, (20 + y - 0.5) / 2), 2);
});

test("a reduced copy holds means, gaps left out; other factors are refused", async () => {
  expect(copySize(picture, 0.5)).toEqual({ width: 30, height: 20 });
  const raster = rasterOf(4, 2, [Float32Array.of(1, 3, NaN, NaN, 5, NaN, NaN, NaN)]);
  const copy = await copyRegion(frameOfRaster(raster), 0.5, "nearest", { x: 0, y: 0, width: 2, height: 1 }, kernels);
  expect([...copy.planes[0]]).toEqual([3, NaN]);
  const region = { x: 0, y: 0, width: 1, height: 1 };
  await expect(copyRegion(picture, 0.7, "nearest", region, kernels)).rejects.toThrow("reduced by a whole number");
});
