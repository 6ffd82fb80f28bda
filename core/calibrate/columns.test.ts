import { createRandom } from "../numeric/random";
import type { Raster, Region } from "../raster";
import { createRaster, frameOfRaster, meanAndDeviation, wholeRegion } from "../raster";
import { calibratedFrame } from "./apply";
import type { ColumnOffset } from "./columns";
import { columnOffsets } from "./columns";
import { withoutMasters } from "../testing/calibration";
import { wasmKernels } from "../testing/fixtures";

const kernels = wasmKernels();

const WIDTH = 300;
const HEIGHT = 320;
const SIGMA = 0.001;
const STAR = { x: 120, y: 201, height: 0.3 };

/** A sky with a slope, a star on column 120, and on a mosaic colours of unlike level; white noise. */
function sky(seed: number, colours: boolean): Raster {
  const random = createRandom(seed);
  const raster = createRaster(WIDTH, HEIGHT, 1);
  for (let y = 0, i = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++, i++) {
      const colour = colours ? [0.02, 0.05, 0.05, 0.08][(y % 2) * 2 + (x % 2)] : 0.04;
      const star = STAR.height * Math.exp(-((x - STAR.x) ** 2 + (y - STAR.y) ** 2) / (2 * 1.5 ** 2));
      raster.planes[0][i] = colour + 1e-4 * (x + y) + star + SIGMA * random.normal();
    }
  return raster;
}

/** From row 65 down (the trial of a segment), 20 σ above. */
function withWarmColumn(raster: Raster): Raster {
  for (let y = 65; y < HEIGHT; y++) raster.planes[0][y * WIDTH + STAR.x] += 20 * SIGMA;
  return raster;
}

describe.each([
  ["mono", 1, null],
  ["mosaic", 2, "RGGB"],
] as const)("warm columns of a light alone, %s", (_, pitch, pattern) => {
  const calibrated = (raster: Raster) =>
    calibratedFrame(frameOfRaster(raster), withoutMasters({ demosaic: "none" }, { pattern }), kernels);

  test("the part that is warm is found with its height, and nothing else", async () => {
    const found = await columnOffsets(frameOfRaster(withWarmColumn(sky(5, pitch === 2))), pitch);
    expect(found.map(({ x }) => x)).toEqual([STAR.x]);
    expect(Math.abs(found[0].offset / (20 * SIGMA) - 1)).toBeLessThan(0.02);
    expect([64, 96]).toContain(found[0].y0);
    expect(found[0].y1).toBe(HEIGHT);
  });

  test("a clean frame, a constant one and one too small have none", async () => {
    for (const seed of [1, 2, 3, 4, 5, 6])
      expect(await columnOffsets(frameOfRaster(sky(seed, pitch === 2)), pitch)).toEqual([]);
    expect(await columnOffsets(frameOfRaster(createRaster(WIDTH, HEIGHT, 1)), pitch)).toEqual([]);
    expect(await columnOffsets(frameOfRaster(createRaster(4, 50, 1)), pitch)).toEqual([]);
  });

  test("calibration takes the column off and keeps the star on it: against the same light without a warm column", async () => {
    const clean = (await calibrated(sky(9, pitch === 2)).read(wholeRegion({ width: WIDTH, height: HEIGHT }))).planes[0];
    const frame = calibrated(withWarmColumn(sky(9, pitch === 2)));
    const mended = (await frame.read(wholeRegion(frame))).planes[0];
    const differences: number[] = [];
    for (let y = 96; y < HEIGHT; y++)
      differences.push((mended[y * WIDTH + STAR.x] - clean[y * WIDTH + STAR.x]) / SIGMA);
    expect(Math.abs(meanAndDeviation(differences).mean)).toBeLessThan(0.4);
    const core = STAR.y * WIDTH + STAR.x;
    expect(Math.abs(mended[core] - clean[core])).toBeLessThan(0.005 * STAR.height);
    const part = await frame.read({ x: 100, y: 150, width: 40, height: 90 });
    for (let y = 0; y < 90; y++)
      for (let x = 0; x < 40; x++) expect(part.planes[0][y * 40 + x]).toBe(mended[(150 + y) * WIDTH + 100 + x]);
  });
});

test("columns that are kept are not looked for again when the light is opened anew", async () => {
  const light = frameOfRaster(withWarmColumn(sky(3, false)));
  let rows = 0;
  const counted = { ...light, read: (region: Region) => ((rows += region.height), light.read(region)) };
  let kept: Promise<ColumnOffset[]> | null = null;
  const region = { x: 100, y: 150, width: 40, height: 20 };
  const planes: Float32Array[] = [];
  const readRows: number[] = [];
  for (let opened = 0; opened < 2; opened++) {
    rows = 0;
    const frame = calibratedFrame(
      counted,
      withoutMasters({ demosaic: "none" }, { keep: { columns: (find) => (kept ??= find()), sky: (find) => find() } }),
      kernels,
    );
    planes.push((await frame.read(region)).planes[0]);
    readRows.push(rows);
  }
  expect(planes[1]).toEqual(planes[0]);
  expect(readRows[0] - readRows[1]).toBe(HEIGHT); // the reading of all of it
});

test("with a flat, a column that answers less to light is left to the flat", async () => {
  const flat = createRaster(WIDTH, HEIGHT, 1);
  flat.planes[0].fill(1);
  for (let y = 0; y < HEIGHT; y++) flat.planes[0][y * WIDTH + 60] = 0.9;
  const light = sky(11, false);
  light.planes[0].forEach((v, i) => (light.planes[0][i] = v * flat.planes[0][i]));
  const frame = calibratedFrame(
    frameOfRaster(light),
    withoutMasters({ demosaic: "none" }, { flat: frameOfRaster(flat), flatMeans: [1] }),
    kernels,
  );
  const { planes } = await frame.read(wholeRegion(frame));
  const pulls = Array.from({ length: HEIGHT }, (_, y) => {
    const i = y * WIDTH + 60;
    return (planes[0][i] - (planes[0][i - 1] + planes[0][i + 1]) / 2) / SIGMA;
  });
  expect(Math.abs(meanAndDeviation(pulls).mean)).toBeLessThan(0.35); // noise of the mean of 320: 0.07; 10 % of the sky would be 4 … 10
});
