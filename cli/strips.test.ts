import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { FrameRef } from "@/engine/frames";
import type { SubReading } from "@/engine/tasks/subs";
import { readingFolder } from "./readings";
import { stripFolder } from "./strips";

const folder = mkdtempSync(join(tmpdir(), "dunkel-strips-"));
afterAll(() => rmSync(folder, { recursive: true }));

const strip = {
  samples: 9,
  rejected: 1,
  peakBytes: 100,
  planeBytes: 4,
  planes: ["meanA   B   ", "cove"].map((text) => new TextEncoder().encode(text)),
};
const key = "0123456789abcdef0123456789abcdef";

test("strips come back as they were; a broken one is made anew; other stacks' and finished ones go", async () => {
  const store = stripFolder(join(folder, "s.strips"));
  expect(await store.load(key, 0)).toBeNull();
  await store.save(key, 0, strip);
  await store.save(key, 64, strip);
  await store.save("another stack's key", 0, strip);
  const back = await store.load(key, 64);
  expect(back).toMatchObject({ samples: 9, rejected: 1, planeBytes: 4 });
  expect(await back?.planes.text()).toBe("meanA   B   cove");
  writeFileSync(join(folder, "s.strips", "0123456789abcdef-0.json"), "{ half");
  expect(await store.load(key, 0)).toBeNull();
  await store.forget(key);
  expect(readdirSync(join(folder, "s.strips")).every((name) => name.startsWith("0123456789abcdef-"))).toBe(true);
  expect(await store.load(key, 64)).not.toBeNull();
  await store.forget(null);
  expect(existsSync(join(folder, "s.strips"))).toBe(false);
});

test("readings come back as they were, for the same frame alone; a broken one is none; they stay with the strips of the stack, and go with it", async () => {
  const shared = join(folder, "r.strips");
  const store = readingFolder(shared);
  const frame: FrameRef = { id: "light-001.fits@17", name: "light-001.fits", kind: "file", path: "light-001.fits" };
  const measured: SubReading = {
    width: 60,
    height: 40,
    channels: 1,
    measures: {
      stars: 1,
      fwhmPx: 2.7182818284590455,
      eccentricity: null,
      elongationAngle: null,
      elongationAgreement: null,
      background: [0.1],
      gradient: [{ level: 0.1, dx: 1e-7, dy: -2e-9 }],
      noise: [1 / 3],
      noiseCorrelation: [1.02],
      blackShare: 0,
      saturatedShare: 0,
      trail: null,
      otherTrails: [],
      looksMosaic: false,
      double: null,
    },
    stars: [{ x: 20.123456789, y: 10, flux: 5, snr: 30, saturated: false }],
    stretch: { level: [0.1], sigma: [0.003], white: 1 },
    unit: {
      name: "ADU",
      storedPerUnit: 65535,
      fullScale: 65535,
      saturation: 60_000,
      electronsPerAdu: null,
      from: { name: "header", fullScale: "type", saturation: "pile-up in star cores" },
    },
  };
  expect(await store.load(frame)).toBeNull();
  await store.save(frame, measured);
  expect((await store.load(frame))?.measures).toEqual(measured.measures);
  expect((await store.load(frame))?.stars).toEqual(measured.stars);
  expect(await store.load({ ...frame, id: "light-001.fits@18" })).toBeNull();
  await stripFolder(shared).save(key, 0, strip);
  await stripFolder(shared).forget("another stack's key");
  expect(await store.load(frame)).not.toBeNull();
  for (const name of readdirSync(shared)) writeFileSync(join(shared, name), "{ half");
  expect(await store.load(frame)).toBeNull();
  await stripFolder(shared).forget(null);
  expect(existsSync(shared)).toBe(false);
});
