import { readFileSync } from "node:fs";
import type { FrameUnit } from "../formats";
import { bytesOfArray, openPicture, typeTellsUnit, unitOf, valueOf } from "../formats";
import { quietJob } from "../job";
import { dataRange, measureSub } from "../measure";
import type { FrameSource } from "../raster";
import { robustSpread, wholeRegion } from "../raster";
import { wasmKernels } from "../testing/fixtures";
import { otherFits } from "../testing/otherFits";
import { planStack, stackRegion, stackSettings } from "./index";
import type { SubFacts } from "./index";

/**
 * One sky in the numbers of every camera and program: five subs made with numpy and written by astropy (reference/make_origin_fixtures.py),
 * their numbers written again in other types and units by a writer that is not ours.
 */
const kernels = wasmKernels();
const settings = stackSettings.parse({ transform: "similarity" });
const files = [1, 2, 3, 4, 5].map((k) => new Uint8Array(readFileSync(`reference/fixtures/origin/sub${k}.fits.gz`)));

interface Sub {
  facts: SubFacts;
  source: FrameSource;
  unit: FrameUnit;
}

async function subOf(name: string, bytes: Uint8Array): Promise<Sub> {
  const picture = valueOf(await openPicture(bytesOfArray(name, bytes)));
  const source = picture.frame(0);
  const unit = unitOf(picture, picture.metadata, typeTellsUnit(picture) ? null : await dataRange(source));
  const raster = await source.read(wholeRegion(source));
  const { measures, stars, unit: found } = measureSub(raster, kernels, { unit });
  const { width, height, channels } = source;
  const facts = { id: name, name, width, height, channels, exposureS: 60, measures, stars };
  return { facts, source, unit: found ?? unit };
}

/** The numbers of a sub as astropy stored them. */
async function numbersOf(bytes: Uint8Array): Promise<Float64Array> {
  const picture = valueOf(await openPicture(bytesOfArray("sub.fits.gz", bytes)));
  const { planes } = await picture.frame(0).read(wholeRegion(picture));
  return Float64Array.from(planes[0], (v) => Math.round(v * picture.fullScale));
}

const KINDS: [string, (adu: Float64Array) => Uint8Array, FrameUnit["name"]][] = [
  ["32-bit integers", (adu) => otherFits(240, 200, 32, adu), "ADU"],
  ["64-bit integers", (adu) => otherFits(240, 200, 64, adu), "ADU"],
  [
    "floats of 0 … 1",
    (adu) =>
      otherFits(
        240,
        200,
        -32,
        adu.map((v) => v / 65535),
      ),
    "share",
  ],
  ["floats in ADU", (adu) => otherFits(240, 200, -32, adu), "ADU"],
  ["doubles in ADU", (adu) => otherFits(240, 200, -64, adu), "ADU"],
  [
    "electrons with an offset taken off and negative values",
    (adu) =>
      otherFits(
        240,
        200,
        -32,
        adu.map((v) => 0.8 * v - 460),
      ),
    "ADU",
  ],
  [
    "electrons that say so",
    (adu) =>
      otherFits(
        240,
        200,
        -32,
        adu.map((v) => 0.8 * (v - 500)),
        { BUNIT: "electron" },
      ),
    "e-",
  ],
];

let base: Sub[] = [];
beforeAll(async () => {
  base = await Promise.all(files.map((bytes, k) => subOf(`s${k}`, bytes)));
});

const relative = (a: number | null, b: number | null): number => Math.abs((a ?? NaN) / (b ?? NaN) - 1);

test("as astropy wrote it: 16 bits with BZERO, stars found, saturated ones measured by their cores", () => {
  expect(base.map(({ unit }) => [unit.name, unit.fullScale])).toEqual(base.map(() => ["ADU", 65535]));
  for (const { facts, unit } of base) {
    expect(facts.stars.length).toBeGreaterThan(40);
    expect(facts.measures.fwhmPx).toBeGreaterThan(2.4);
    expect(facts.stars.some(({ saturated }) => saturated)).toBe(true);
    expect(unit.from.saturation).toBe("pile-up in star cores");
  }
});

test.each(KINDS)(
  "%s: the same stars, widths, scales and weights to 1e-3, the same stack up to a factor",
  async (_, write, name) => {
    const subs = await Promise.all(files.map(async (bytes, k) => subOf(`s${k}`, write(await numbersOf(bytes)))));
    subs.forEach(({ facts, unit }, k) => {
      const own = base[k].facts;
      expect(unit.name).toBe(name);
      expect(facts.stars.length).toBe(own.stars.length);
      facts.stars.forEach((star, i) => {
        expect(Math.hypot(star.x - own.stars[i].x, star.y - own.stars[i].y)).toBeLessThan(1e-3);
        expect(star.saturated).toBe(own.stars[i].saturated);
      });
      expect(relative(facts.measures.fwhmPx, own.measures.fwhmPx)).toBeLessThan(1e-3);
      expect(facts.measures.saturatedShare).toBe(own.measures.saturatedShare);
      expect(facts.measures.trail).toBeNull();
    });
    const [plan, wanted] = [subs, base].map((list) =>
      planStack(
        list.map(({ facts }) => facts),
        settings,
      ),
    );
    expect(plan.referenceId).toBe(wanted.referenceId);
    plan.used.forEach((sub, i) => {
      const other = wanted.used[i];
      expect(relative(sub.scale, other.scale)).toBeLessThan(1e-3);
      expect(relative(sub.weight[0] / plan.used[0].weight[0], other.weight[0] / wanted.used[0].weight[0])).toBeLessThan(
        1e-3,
      );
    });
    const region = { x: 40, y: 40, width: 120, height: 100 };
    const stack = async (list: Sub[], of: typeof plan) => {
      const sources = of.used.map(({ id }) => list.find(({ facts }) => facts.id === id)?.source as FrameSource);
      const { mean } = await stackRegion(sources, of, settings, region, 2 ** 26, quietJob(kernels));
      return mean.planes[0];
    };
    const [a, b] = [await stack(subs, plan), await stack(base, wanted)];
    const [sa, sb] = [robustSpread(a), robustSpread(b)];
    const worst = a.reduce(
      (most, v, i) => Math.max(most, Math.abs((v - sa.centre) / sa.sigma - (b[i] - sb.centre) / sb.sigma)),
      0,
    );
    const range = b.reduce((most, v) => Math.max(most, (v - sb.centre) / sb.sigma), 0);
    expect(worst / range).toBeLessThan(5e-5);
  },
  30_000,
);

test("divided by a flat: stars, widths and scales stay", async () => {
  const flat = (i: number) => 1 - 0.12 * (((i % 240) / 120 - 1) ** 2 + (Math.floor(i / 240) / 100 - 1) ** 2);
  const subs = await Promise.all(
    files.map(async (bytes, k) => {
      const adu = await numbersOf(bytes);
      return subOf(
        `s${k}`,
        otherFits(
          240,
          200,
          -32,
          adu.map((v, i) => (v - 500) / flat(i)),
        ),
      );
    }),
  );
  subs.forEach(({ facts, unit }, k) => {
    const own = base[k].facts;
    expect(unit.name).toBe("ADU");
    // Noise grows where the flat is low, so stars at the limit come and go.
    expect(Math.abs(facts.stars.length / own.stars.length - 1)).toBeLessThan(0.15);
    expect(relative(facts.measures.fwhmPx, own.measures.fwhmPx)).toBeLessThan(0.01);
  });
  const [plan, wanted] = [subs, base].map((list) =>
    planStack(
      list.map(({ facts }) => facts),
      settings,
    ),
  );
  plan.used.forEach((sub, i) => expect(relative(sub.scale, wanted.used[i].scale)).toBeLessThan(0.01));
});
