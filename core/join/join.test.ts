import { frameOfRaster, rasterOf } from "../raster";
import { IDENTITY } from "../register";
import { randomStars, wasmKernels } from "../testing/fixtures";
import type { Joinable, PlacedPart } from "./index";
import { joinRegion, relatePart } from "./index";

const stars = randomStars(60, 400, 300, 3).map((star) => ({ ...star, snr: 100, saturated: false }));
const grid: Joinable = { width: 400, height: 300, starList: stars, skyLevel: 10 };

test("a picture is brought to the starlight and the sky of the grid; where it lies there already its pixels stay", () => {
  const faint = { ...grid, starList: stars.map((star) => ({ ...star, flux: 0.25 * star.flux })), skyLevel: 3 };
  const related = relatePart(faint, grid);
  if (!related.ok) throw new Error(related.reason.detail);
  expect(related.value.toGrid).toBe(IDENTITY);
  expect(related.value.scale).toBeCloseTo(4, 9);
  expect(related.value.offset).toBeCloseTo(10 - 4 * 3, 9);
  const moved = { ...faint, starList: faint.starList.map((star) => ({ ...star, x: star.x + 2.5 })) };
  const there = relatePart(moved, grid, 0.5);
  expect(there.ok && [there.value.scale, there.value.toGrid.kind]).toEqual([expect.closeTo(2, 9), "similarity"]);
  const other = {
    ...grid,
    starList: randomStars(60, 400, 300, 9).map((star) => ({ ...star, snr: 100, saturated: false })),
  };
  expect(relatePart(other, grid).ok).toBe(false);
});

test("channels are scaled and lifted; luminance moves them all alike; a gap in one is a gap", async () => {
  const size = { width: 6, height: 5 };
  const of = (value: (i: number) => number, scale = 1, offset = 0): PlacedPart => ({
    source: frameOfRaster(rasterOf(6, 5, [Float32Array.from({ length: 30 }, (_, i) => value(i))])),
    part: { toGrid: IDENTITY, scale, offset },
  });
  const colours = [of((i) => i, 2, 1), of((i) => (i === 7 ? NaN : 3)), of(() => 5)] as const;
  const whole = { x: 0, y: 0, ...size };
  const plain = await joinRegion([...colours], null, size, whole, wasmKernels());
  expect([plain.planes[0][3], plain.planes[1][3], plain.planes[2][3]]).toEqual([7, 3, 5]);
  expect(plain.planes.map((plane) => plane[7])).toEqual([NaN, NaN, NaN]);
  const light = await joinRegion(
    [...colours],
    of(() => 100),
    size,
    whole,
    wasmKernels(),
  );
  // (7 + 3 + 5)/3 = 5: all rise by 95, and their mean is the luminance.
  expect([light.planes[0][3], light.planes[1][3], light.planes[2][3]]).toEqual([102, 98, 100]);
});
