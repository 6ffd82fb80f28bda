import { chainOfMask, newStep, regionAfter, stateAfter } from "@/core/chain";
import type { AnyOperation } from "@/core/operations";
import { findOperation, untouchedState } from "@/core/operations";
import type { Raster } from "@/core/raster";
import { cropRaster, wholeRegion } from "@/core/raster";
import { cut, halved, marks, mono, turned, withOperations } from "@/core/testing/testOperations";
import { worstDifference } from "@/core/testing/fixtures";
import { check, context, rasters, SIZE, treatmentOf } from "./cropChecks";
import { crop } from "./crop";
import { evidence } from "./evidence";
import { measureCrop } from "./measureCrop";
import { renderStrip } from "./render";
import { runTask } from "./task";

const ALL: AnyOperation[] = [cut, halved, turned, mono, marks];
const step = (operation: AnyOperation, params = {}) => ({
  ...newStep(operation),
  params: { ...operation.parameters.defaults, ...params },
});
const known = (id: string) => newStep(findOperation(id) as AnyOperation);
const planesOf = (bytes: Uint8Array[]): Float32Array[] =>
  bytes.map((plane) => {
    const view = new DataView(plane.buffer, plane.byteOffset, plane.byteLength);
    return Float32Array.from({ length: plane.length / 4 }, (_, i) => view.getFloat32(4 * i, false));
  });

/** Cut to 220 × 170, halved to 110 × 85, turned to 85 × 110, one channel. */
const GRID = [step(cut), step(halved), step(turned, { height: 85 }), step(mono)];
const INPUT = untouchedState({ ...SIZE, channels: 3 });

test("a chain's state follows its steps: size, channels, and where a pixel comes from", () =>
  withOperations(ALL, async () => {
    const { width, height, channels, toSource } = stateAfter(GRID, INPUT);
    expect([width, height, channels]).toEqual([85, 110, 1]);
    // The first pixel of the result is the mean of 2 × 2 px at the lower left of what was cut out.
    expect(toSource).toMatchObject({ matrix: [0, 2, 20.5, -2, 0, 20.5 + 2 * 84] });
    expect(regionAfter(stateAfter(GRID, INPUT), { x: 20, y: 20, width: 4, height: 2 })).toEqual({
      x: 84,
      y: 0,
      width: 1,
      height: 2,
    });
    expect(regionAfter(stateAfter(GRID, INPUT), { x: 0, y: 0, width: 9, height: 9 }).width).toBe(0);
  }));

test("any part of the result is what the whole is, with steps before, between and after", () =>
  withOperations(ALL, async () => {
    const steps = [known("noise.gaussian"), ...GRID, known("noise.starlet"), known("deconvolve.richardson-lucy")];
    const treatment = await treatmentOf(steps);
    const result = wholeRegion(stateAfter(steps, INPUT));
    const [whole] = planesOf(await runTask(renderStrip, { treatment, region: result }, context()));
    for (const region of [
      { x: 0, y: 0, width: 30, height: 20 },
      { x: 40, y: 55, width: 21, height: 33 },
      { x: 60, y: 90, width: 25, height: 20 },
    ]) {
      const part = planesOf(await runTask(renderStrip, { treatment, region }, context()));
      expect(part.length).toBe(1);
      const expected = cropRaster({ ...result, channels: 1, planes: [whole] }, region).planes[0];
      expect(worstDifference(part[0], expected)).toBeLessThan(1e-5);
    }
    // Data is missing where a pixel comes from the hole at (150, 90), and nowhere else.
    const missing = whole.reduce((count, v) => count + (v === v ? 0 : 1), 0);
    expect(missing).toBeGreaterThan(25);
    expect(missing).toBeLessThan(60);
  }));

test("the screen's crop stays in px of the stack: cut borders are missing, the rest lies where it lay", () =>
  withOperations(ALL, async () => {
    const shown = async (steps: Parameters<typeof treatmentOf>[0]): Promise<Raster> =>
      runTask(crop, { treatment: await treatmentOf(steps), region: wholeRegion(SIZE), reduce: 1 }, context());
    const { planes } = await shown([step(cut)]);
    const at = (x: number, y: number) => y * SIZE.width + x;
    expect(planes[0][at(10, 10)]).toBeNaN();
    for (const [x, y] of [
      [40, 40],
      [200, 120],
      [100, 180],
    ])
      expect(planes[1][at(x, y)]).toBeCloseTo(rasters.p.planes[1][at(x, y)], 6);
    const turnedWhole = await shown([step(turned, { height: SIZE.height })]);
    expect(turnedWhole.planes[2][at(200, 120)]).toBeCloseTo(rasters.p.planes[2][at(200, 120)], 6);
  }));

test("a mask stays on the sky, whatever the steps before did to the grid", () =>
  withOperations(ALL, async () => {
    const outline: [number, number][] = [
      [60, 50],
      [140, 50],
      [140, 130],
      [60, 130],
    ];
    const drawn = { kind: "polygon", how: "and", inverted: false, params: { feather: 0 }, outline } as const;
    const mask = { id: "m", name: "Square", parts: [drawn], blurPx: 0, inverted: false };
    const steps = [...GRID, ...chainOfMask(mask)];
    const treatment = await treatmentOf(steps);
    const state = stateAfter(steps, INPUT);
    const [plane] = planesOf(await runTask(renderStrip, { treatment, region: wholeRegion(state) }, context()));
    const inside = regionAfter(state, { x: 64, y: 54, width: 72, height: 72 });
    const { planes } = cropRaster({ ...wholeRegion(state), channels: 1, planes: [plane] }, inside);
    expect(Math.min(...planes[0])).toBe(1);
    const light = plane.reduce((sum, v) => sum + (v === v ? v : 0), 0);
    expect(light).toBeGreaterThan(39 ** 2);
    expect(light).toBeLessThan(42 ** 2);
  }));

test("points stay on the sky, whatever the steps before did to the grid; a crop has them where the picture has", () =>
  withOperations(ALL, async () => {
    const points = [
      [100, 80],
      [181, 60],
    ];
    await check([known("noise.gaussian"), step(marks, { points })], [1, 3]);
    const steps = [...GRID, step(marks, { points })];
    const render = async (chain: typeof steps) => {
      const treatment = await treatmentOf(chain);
      const region = wholeRegion(stateAfter(chain, INPUT));
      return planesOf(await runTask(renderStrip, { treatment, region }, context()))[0];
    };
    const [with_, without] = [await render(steps), await render(GRID)];
    const gained = with_.map((v, i) => v - without[i]);
    const brightest = gained.indexOf(Math.max(...gained.filter((v) => v === v)));
    const at = regionAfter(stateAfter(GRID, INPUT), { x: 181, y: 60, width: 1, height: 1 });
    const other = regionAfter(stateAfter(GRID, INPUT), { x: 100, y: 80, width: 1, height: 1 });
    const near = [at, other].map(({ x, y }) => Math.hypot((brightest % 85) - x, Math.floor(brightest / 85) - y));
    expect(Math.min(...near)).toBeLessThan(1.5);
    expect(gained[at.y * 85 + at.x]).toBeGreaterThan(0.85);
    expect(gained[other.y * 85 + other.x]).toBeGreaterThan(0.85);
  }));

test("measures and evidence of a place hold the result against the stack on the same grid", () =>
  withOperations(ALL, async () => {
    const region = { x: 40, y: 40, width: 128, height: 128 };
    const steps = [...GRID, known("noise.gaussian")];
    const treatment = await treatmentOf(steps);
    const measures = await runTask(measureCrop, { treatment, region, skyLevel: null }, context());
    const found = await runTask(evidence, { treatment, region, shape: null }, context());
    expect([found?.region.width, found?.region.height]).toEqual([64, 64]);
    expect(found?.noise.left.every((v, j) => v <= (found?.noise.before[j] ?? 0) * 1.05)).toBe(true);
    expect(measures.noise).toBeGreaterThan(0);
    const late = await treatmentOf([known("noise.gaussian"), ...GRID]);
    await expect(runTask(evidence, { treatment: late, region, shape: null }, context())).rejects.toThrow(
      "stands after",
    );
  }));
