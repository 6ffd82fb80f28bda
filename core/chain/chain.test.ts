import { readFileSync } from "node:fs";
import { quietJob } from "../job";
import { frameOfRaster, intersectRegions, isEmptyRegion, rasterOf } from "../raster";
import { plainKernels, wasmKernels, worstDifference } from "../testing/fixtures";
import { CREATOR } from "../version";
import { joinFromMode, lightAround, splitForMode } from "./channels";
import { CHAIN_VERSION, chainToJson, migratedStep, newStep, parseChain } from "./index";
import { migratedFile } from "./schema";
import type { AnyOperation } from "../operations";
import { findOperation, OPERATIONS } from "../operations";
import { fc } from "../testing/properties";
import { cornerRegions, sampleRegions, SeenPicture } from "./measure";

const starlet = findOperation("noise.starlet");
if (!starlet) throw new Error("the registry has no starlet");

const step0 = () => newStep(starlet);

describe("chain files", () => {
  test("a chain survives being exported and imported", () => {
    const steps = OPERATIONS.map((operation) => newStep(operation));
    const result = parseChain(JSON.parse(chainToJson("all", steps)));
    expect(result).toEqual({ ok: true, value: { format: "dunkel-chain", version: CHAIN_VERSION, name: "all", steps } });
  });

  const good = { format: "dunkel-chain", version: 1, name: "", steps: [newStep(starlet)] };
  const step = good.steps[0];
  test.each([
    ["no object", 5, "file"],
    ["another format", { ...good, format: "x" }, "format"],
    ["a newer file", { ...good, version: 9 }, "version"],
    ["an unknown operation", { ...good, steps: [{ ...step, operation: "noise.magic" }] }, "steps.0.operation"],
    ["a newer operation", { ...good, steps: [{ ...step, version: 99 }] }, "steps.0.version"],
    [
      "a mode that the operation has not",
      { ...good, steps: [{ ...newStep(findOperation("stretch.arcsinh") as AnyOperation), channels: "each" }] },
      "steps.0.channels",
    ],
    ["a parameter out of range", { ...good, steps: [{ ...step, params: { strength: 7 } }] }, "steps.0.params.strength"],
    ["a blend out of range", { ...good, steps: [{ ...step, blend: 2 }] }, "steps.0.blend"],
  ])("%s is refused with its field and what to do", (_, json, field) => {
    const result = parseChain(json);
    if (result.ok) throw new Error("accepted");
    expect(result.reason.field).toBe(field);
    expect(result.reason.advice.length).toBeGreaterThan(10);
  });

  test("missing parameters take their defaults", () => {
    const result = parseChain({ ...good, steps: [{ ...step, params: { strength: 0.9 } }] });
    expect(result.ok && result.value.steps[0].params).toEqual({
      levers: "all",
      strength: 0.9,
      skyPatches: null,
      colourStrength: 1,
      redStrength: 1,
      greenStrength: 1,
      blueStrength: 1,
      kind: "weaken",
      threshold: 3.5,
      detail: 0.7,
      scales: 5,
      mottle: 0,
      leastGrain: 0,
      keepPoints: true,
      pointSnr: 4,
    });
  });
});

describe("older versions", () => {
  const operation = {
    version: 3,
    migrations: {
      1: ({ amount, ...params }: Record<string, unknown>) => ({ ...params, strength: Number(amount) / 100 }),
      2: (params: Record<string, unknown>) => ({ ...params, detail: 0.2 }),
    },
  };

  test("a step goes through all migrations from its version on; one of today stays the same object", () => {
    const old = { ...step0(), version: 1, params: { amount: 40 } };
    expect(migratedStep(old, operation)).toEqual({ ...old, version: 3, params: { strength: 0.4, detail: 0.2 } });
    expect(migratedStep({ ...old, version: 2, params: { strength: 0.7 } }, operation).params).toEqual({
      strength: 0.7,
      detail: 0.2,
    });
    expect(migratedStep(old, { version: 2 }).params).toEqual({ amount: 40 }); // nothing changed its meaning
    const today = { ...old, version: 3 };
    expect(migratedStep(today, operation)).toBe(today);
    expect(migratedStep({ ...old, operation: "no.such" })).toMatchObject({ version: 1 });
  });

  test("a file goes through its own; what is no chain is left for the check to refuse", () => {
    const renamed = { 1: ({ title, ...file }: Record<string, unknown>) => ({ ...file, name: title }) };
    const old = { format: "dunkel-chain", version: 1, title: "t", steps: [] };
    expect(migratedFile(old, renamed, 2)).toEqual({ format: "dunkel-chain", version: 2, name: "t", steps: [] });
    expect(migratedFile({ format: "x" }, renamed, 2)).toEqual({ format: "x" });
    expect(migratedFile(null, renamed, 2)).toBeNull();
  });
});

describe("channel modes", () => {
  const raster = rasterOf(2, 1, [Float32Array.of(3, 0.1), Float32Array.of(2, 0.1), Float32Array.of(1, 0.1)]);
  const levels = [0.1, 0.1, 0.1];

  test.each(["together", "each", "luminance", "chrominance"] as const)(
    "%s: splitting and joining unchanged gives the picture back",
    (mode) => {
      const back = joinFromMode(raster, splitForMode(raster, mode), mode, { levels, sigma: 0.01 });
      back.planes.forEach((plane, c) => expect(worstDifference(plane, raster.planes[c])).toBeLessThan(1e-6));
    },
  );

  test("luminance: light keeps its colour above the sky, noise is moved alike in all channels", () => {
    const doubled = [rasterOf(2, 1, [Float32Array.of(4, 0.12)])];
    const { planes } = joinFromMode(raster, doubled, "luminance", { levels, sigma: 0.01 });
    const heights = planes.map((plane) => plane[0] - 0.1);
    expect(heights[0] / heights[2]).toBeCloseTo((3 - 0.1) / (1 - 0.1), 2);
    planes.forEach((plane) => expect(plane[1]).toBeCloseTo(0.12, 4));
  });

  test("luminance: a blue star made narrower leaves the colour of a dark sky below the picture's level round it", () => {
    const side = 64;
    const [sky, star] = [
      [0.05, 0.08, 0.06],
      [0.5, 0.8, 1.1],
    ];
    const planeOf = (fwhm: number) => (c: number) =>
      Float32Array.from({ length: side * side }, (_, i) => {
        const square = ((i % side) - 32) ** 2 + (Math.floor(i / side) - 32) ** 2;
        return sky[c] + star[c] * (3 / fwhm) ** 2 * (1 + square / (fwhm * fwhm)) ** -3;
      });
    const of = (fwhm: number) => rasterOf(side, side, [0, 1, 2].map(planeOf(fwhm)));
    const [wide, narrow] = [of(3), of(2)];
    const around = lightAround(wide, wasmKernels());
    const sharp = splitForMode(narrow, "luminance");
    const misses = (from: readonly Float32Array[] | null) => {
      const { planes } = joinFromMode(wide, sharp, "luminance", { levels: [0.1, 0.1, 0.1], sigma: 1e-4 }, from);
      return Math.max(...planes.map((plane, c) => worstDifference(plane, narrow.planes[c])));
    };
    // Told from the level of the whole picture, the ring is a quarter of the sky off in its colour.
    expect(misses(null)).toBeGreaterThan(0.015);
    expect(misses(around)).toBeLessThan(0.002);
  });

  test("chrominance leaves the mean of the channels alone; a grey picture has no colour to work on", () => {
    const [colour] = splitForMode(raster, "chrominance");
    const grey = joinFromMode(
      raster,
      [{ ...colour, planes: colour.planes.map((plane) => plane.map(() => 0)) }],
      "chrominance",
      null,
    );
    grey.planes.forEach((plane) => expect(plane[0]).toBeCloseTo(2, 6));
    expect(splitForMode(rasterOf(1, 1, [Float32Array.of(1)]), "chrominance")).toEqual([]);
  });
});

test("samples are the whole of a small picture and nine even pieces of a large one", () => {
  expect(sampleRegions({ width: 300, height: 200 })).toEqual([{ x: 0, y: 0, width: 300, height: 200 }]);
  const pieces = sampleRegions({ width: 6000, height: 4000 });
  expect(pieces.length).toBe(9);
  expect(pieces.every(({ x, y, width, height }) => x >= 0 && y >= 0 && x + width <= 6000 && y + height <= 4000)).toBe(
    true,
  );
  expect(sampleRegions({ width: 5, height: 5 })).toEqual([{ x: 0, y: 0, width: 5, height: 5 }]);
});

test("samples and corners of a picture of any size lie on it", () => {
  const side = fc.integer({ min: 1, max: 3000 });
  fc.assert(
    fc.property(side, side, (width, height) => {
      for (const at of [...sampleRegions({ width, height }), ...cornerRegions({ width, height })]) {
        expect(at.x >= 0 && at.y >= 0 && at.width > 0 && at.height > 0).toBe(true);
        expect(at.x + at.width <= width && at.y + at.height <= height).toBe(true);
      }
    }),
    {
      numRuns: 500,
      examples: [
        [1000, 872],
        [1280, 720],
      ],
    },
  );
});

test("of a large picture the corners are looked at too, beside the pieces; of a smaller one they hold them nearly", () => {
  const size = { width: 6000, height: 4000 };
  const corners = cornerRegions(size);
  expect(corners.map(({ x, y }) => [x, y])).toEqual([
    [0, 0],
    [0, 3680],
    [5680, 0],
    [5680, 3680],
  ]);
  for (const corner of corners)
    for (const piece of sampleRegions(size)) expect(isEmptyRegion(intersectRegions(corner, piece))).toBe(true);
  expect(cornerRegions({ width: 1024, height: 1024 })).toEqual([]);
  expect(cornerRegions({ width: 6000, height: 300 })).toEqual([]);
});

test("a reader of the picture offers it whole and reduced: box means without gaps, in any mode", async () => {
  const plane = (c: number) => Float32Array.from({ length: 700 * 30 }, (_, i) => (i % 700) + 1000 * c);
  const picture = rasterOf(700, 30, [plane(0), plane(1)]);
  picture.planes[0][5] = NaN;
  const input = { picture: frameOfRaster(picture), halves: null, fill: [4, 4], fullScale: 1 };
  const seen = new SeenPicture(input, [], quietJob(plainKernels()));
  const each = await seen.inMode("each", 1).overview(100);
  expect([each.width, each.height, each.channels]).toEqual([100, 5, 1]);
  for (let x = 0; x < 100; x++) expect(each.planes[0][x]).toBeCloseTo(1000 + 7 * x + 3, 3);
  const together = await seen.inMode("together", 0).overview(100);
  // The gap at x = 5 of the first of seven rows counts as the fill, 4.
  expect(together.planes[0][0]).toBeCloseTo((7 * 21 - 5 + 4) / 49, 5);
});

test("exports name the version of this package", () => {
  const { version } = JSON.parse(readFileSync("package.json", "utf8")) as { version: string };
  expect(CREATOR).toBe(`Dunkel ${version}`);
});
