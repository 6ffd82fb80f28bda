import { quietJob } from "../job";
import { levelsOf, spreadsOf } from "../facts";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { frameOfRaster, rasterOf } from "../raster";
import { craterField, exposed } from "../testing/fields";
import { SHARES, paintStars, randomStars, wasmKernels } from "../testing/fixtures";
import { factsOfTiles, inspectPicture, inspectTiles, proposeSpots, tilesToInspect } from "./index";
import { sampled, shownLevels } from "./inspect";

const cell = (x: number, y: number, level: number, structure: number, stars: number, detail = 0) => ({
  x,
  y,
  level,
  structure,
  stars,
  detail,
});

test("spots: the darkest quiet cell, the strongest structure, the richest group; none near another or the border", () => {
  const cells = [
    cell(300, 300, 5, 1, 2),
    cell(500, 300, 1, 0.1, 1),
    cell(300, 600, 6, 9, 0),
    cell(330, 600, 6, 8, 0),
    cell(700, 700, 3, 1, 12),
    cell(20, 20, 0, 0, 99),
  ];
  const more = [cell(880, 300, 4, 1, 0), cell(880, 500, 4, 1, 0), cell(880, 720, 4, 1, 0), cell(500, 800, 4, 1, 0)];
  const spots = proposeSpots([...cells, ...more], 1000, 1000);
  expect(spots.map(({ x, y }) => [x, y])).toEqual([
    [500, 300],
    [300, 600],
    [700, 700],
  ]);
  expect(spots.map(({ name }) => name)).toEqual(["Dark background", "Structure", "Star group"]);
  const without = proposeSpots([...cells, ...more, cell(500, 500, 4, 1, 0, 9)], 1000, 1000, false);
  expect(without.map(({ name, x, y }) => [name, x, y])[2]).toEqual(["Small detail", 500, 500]);
  expect(proposeSpots([], 100, 100)).toEqual([]);
});

test("a picture is looked over: size, sky, FWHM, halves, three spots", async () => {
  const stars = randomStars(70, 700, 600, 3);
  const make = (seed: number, noise: number) =>
    frameOfRaster(paintStars(700, 600, stars, { channels: 3, seed, noise }));
  const facts = await inspectPicture(
    make(1, 0.0002),
    { a: make(2, 0.00028), b: make(3, 0.00028) },
    SHARES,
    quietJob(wasmKernels()),
  );
  expect([facts.width, facts.height, facts.channels]).toEqual([700, 600, 3]);
  expect(facts.skyLevel).toBeCloseTo(0.01, 3);
  expect(facts.fill[0]).toBeCloseTo(0.01, 3);
  expect(facts.fwhmPx).toBeGreaterThan(2.9);
  expect(facts.fwhmPx).toBeLessThan(3.1);
  expect(facts.halvesSigma?.[0]).toBeCloseTo(0.0002, 5);
  expect(facts.stars).toBeGreaterThan(60);
  expect(facts.spots.map(({ name }) => name)).toEqual(["Dark background", "Structure", "Star group"]);
});

test("tiles that are looked at in shares say what they show in one go", async () => {
  const stars = randomStars(70, 1200, 1100, 3);
  const make = (seed: number) => frameOfRaster(paintStars(1200, 1100, stars, { seed }));
  const [picture, a, b] = [make(1), make(2), make(3)];
  const job = quietJob(wasmKernels());
  const tiles = tilesToInspect(picture);
  expect(tiles.length).toBe(9);
  const shares = await Promise.all(
    [tiles.slice(0, 5), tiles.slice(5)].map((share) => inspectTiles(picture, { a, b }, SHARES, share, job)),
  );
  const together = factsOfTiles(picture, SHARES, shares.flat());
  expect(together).toEqual(await inspectPicture(picture, { a, b }, SHARES, job));
  expect(together.halvesScales[0].length).toBe(5);
});

test("craters are no stars: none are counted, no width is measured, and their spot is called otherwise", async () => {
  const { picture, a, b } = exposed([craterField(9).map((v) => v / 1000)], () => 0.0015, 3);
  const halves = { a: frameOfRaster(a), b: frameOfRaster(b) };
  const facts = await inspectPicture(frameOfRaster(picture), halves, SHARES, quietJob(wasmKernels()));
  expect([facts.stars, facts.fwhmPx]).toEqual([0, null]);
  expect(facts.starList.length).toBeGreaterThan(5);
  expect(facts.spots.map(({ name }) => name)).toContain("Small detail");
});

test("a sky is shown by its own levels; of a lit surface the shadows are not cut off", () => {
  const random = createRandom(5);
  const of = (shadows: number) =>
    rasterOf(200, 200, [
      Float32Array.from({ length: 40_000 }, (_, i) => (i % 100 < shadows ? 0.02 : 0.4) + 0.01 * random.normal()),
    ]);
  const shown = (raster: Raster) =>
    shownLevels([{ spreads: spreadsOf(raster), samples: raster.planes.map(sampled) }], 1);
  const sky = of(0);
  expect(shown(sky)).toEqual(levelsOf([sky], 1));
  const { level, sigma } = shown(of(12));
  expect(Math.abs(level[0] - 0.4)).toBeLessThan(0.005);
  // Black lies 2.5 σ below: at the dark end of the shadows.
  expect(Math.abs(level[0] - 2.5 * sigma[0] - 0.02)).toBeLessThan(0.04);
});
