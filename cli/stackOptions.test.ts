import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { FitsCard } from "@/core/formats";
import { writeFits } from "@/core/formats";
import { median } from "@/core/raster";
import { worstDifference } from "@/core/testing/fixtures";
import { dunkel, endOf, readPicture } from "./testing";

/** What `stack` takes besides calibrated subs: raw ones with masters, a share of them, drizzle, crop. */
const folder = mkdtempSync(join(tmpdir(), "dunkel-stack-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (...names: string[]) => join(folder, ...names);

interface Report {
  subs: {
    name: string;
    used: boolean;
    reason: string | null;
    share: number | null;
    trails: number;
    rejected: { above: number; below: number } | null;
  }[];
  blocks: { columns: number; rows: number; px: number };
  cores: { filled: number; from: number } | null;
  resampling: { widening: number; noise: number; shared: number };
  warnings: string[];
  stages: { stage: string; seconds: number; peakBytes: number | null }[];
  dither: { spread: number } | null;
  facts: { width: number; height: number; starList: { x: number; y: number; flux: number }[] };
}

test("raw lights go through their masters: the same bytes as calibrated first; masters that do not fit are named", async () => {
  const frames = ["--darks", "4", "--flats", "4", "--bias", "4"];
  const night = ["--raw", "--subs", "3", ...frames, "--seed", "6", "--size", "240x200", "--out", at("raw")];
  const { files } = dunkel<{ files: string[] }>("simulate", ...night);
  const of = (kind: string) => files.filter((name) => name.startsWith(kind)).map((name) => at("raw", name));
  const lights = files.filter((name) => /^(light|weir)/.test(name)).map((name) => at("raw", name));
  expect(lights.length).toBe(3);
  const masters = ["bias", "dark", "flat"].flatMap((kind) => {
    const out = at(`${kind}.fits`);
    const bias = kind === "flat" ? ["--bias", at("bias.fits")] : [];
    dunkel("master", "--kind", kind, ...of(kind).filter((path) => !path.includes("darkflat")), ...bias, "--out", out);
    return [`--${kind}`, out];
  });
  const direct = dunkel<Report>("stack", ...lights, ...masters, "--out", at("direct.fits"));
  const calibrated = dunkel<{ written: string[] }>("calibrate", ...lights, ...masters, "--out-dir", at("calibrated"));
  dunkel("stack", ...calibrated.written, "--out", at("after.fits"));
  const [a, b] = [await readPicture(at("direct.fits")), await readPicture(at("after.fits"))];
  const { planes } = a.raster;
  const span = planes[0].reduce((most, v) => (v > most ? v : most), 0);
  // Calibrated files are single precision too.
  expect(worstDifference(a.raster.planes[0], b.raster.planes[0])).toBeLessThan(1e-4 * span);
  expect(direct.stages.map(({ stage }) => stage)).toEqual(["measure", "match", "combine", "inspect", "write"]);
  expect(direct.stages.every(({ seconds }) => seconds >= 0)).toBe(true);
  expect(endOf("stack", ...lights, "--dark", at("nothing.fits"), "--out", at("x.fits")).stderr).toContain(
    "nothing.fits",
  );
});

test("a share is kept, drops fall on a finer grid, the edge is cut, and the sky's coordinates follow", async () => {
  const { files } = dunkel<{ files: string[] }>(
    ...(["simulate", "--subs", "6", "--seed", "8", "--size", "240x200", "--out", at("night")] as const),
  );
  const subs = files.map((name) => at("night", name));
  const kept = dunkel<Report>("stack", ...subs, "--keep", "sharpness 50%", "--out", at("kept.fits"));
  const left = kept.subs.filter(({ reason }) => reason?.includes("is not among the sharpest 50 %"));
  expect(left.length).toBeGreaterThanOrEqual(2);
  const shares = kept.subs.flatMap(({ share }) => share ?? []);
  expect(shares.reduce((sum, share) => sum + share, 0)).toBeCloseTo(1, 9);
  const cut = dunkel<Report>("stack", ...subs, "--crop-coverage", "1", "--out", at("cut.fits"));
  expect(cut.facts.width).toBeLessThan(240);
  expect(cut.facts.width).toBeGreaterThan(200);
  const whole = (await readPicture(at("cut.fits"))).raster.planes[0];
  expect(whole.reduce((count, v) => count + (v === v ? 0 : 1), 0) / whole.length).toBeLessThan(0.01);
  const fine = dunkel<Report>("stack", ...subs, "--drizzle", "2", "--drop", "0.9", "--out", at("fine.fits"));
  expect(fine.stages.map(({ stage }) => stage)).toContain("drizzle");
  expect(fine.dither?.spread).toBeGreaterThan(0);
  expect([fine.facts.width, fine.facts.height]).toEqual([480, 400]);
  const { file, raster } = await readPicture(at("fine.fits"));
  expect([raster.width, raster.height]).toEqual([fine.facts.width, fine.facts.height]);
  const gaps = raster.planes[0].reduce((count, v) => count + (v === v ? 0 : 1), 0);
  expect(gaps / raster.planes[0].length).toBeLessThan(0.03);
  const { pixelSizeUm } = (await readPicture(subs[0])).file.metadata;
  expect(pixelSizeUm).toBeGreaterThan(1);
  expect(file.metadata.pixelSizeUm).toBeCloseTo((pixelSizeUm ?? NaN) / 2, 6);
  expect(endOf("stack", ...subs, "--drizzle", "4", "--out", at("y.fits")).stderr).toContain("--drizzle");
});

test("a stack that was drizzled and cut keeps the sky of its reference, star by star", async () => {
  const { files } = dunkel<{ files: string[] }>(
    ...(["simulate", "--subs", "5", "--seed", "21", "--size", "240x200", "--out", at("sky")] as const),
  );
  const subs: string[] = [];
  for (const name of files) {
    const { file, raster } = await readPicture(at("sky", name));
    const cards: FitsCard[] = [
      ...([
        ["CTYPE1", "RA---TAN"],
        ["CTYPE2", "DEC--TAN"],
        ["CRVAL1", 83.1],
        ["CRVAL2", -5.2],
      ] as FitsCard[]),
      ...([
        ["CRPIX1", 100.5],
        ["CRPIX2", 90.25],
        ["CD1_1", -4e-4],
        ["CD1_2", 1e-5],
      ] as FitsCard[]),
      ...([
        ["CD2_1", 1e-5],
        ["CD2_2", 4e-4],
        ["EXPTIME", file.metadata.exposureS ?? 0],
      ] as FitsCard[]),
    ];
    const path = at("sky", `w-${name}`);
    const layout = { width: 240, height: 200, channels: 3, sample: "float32" as const, cards };
    writeFileSync(path, writeFits(layout, raster.planes));
    subs.push(path);
  }
  const reference = ["--reference", subs[1]];
  const plain = dunkel<Report>("stack", ...subs, ...reference, "--out", at("plain.fits"));
  const fine = ["--drizzle", "2", "--drop", "0.9", "--crop-coverage", "0.9", "--out", at("cutfine.fits")];
  const cut = dunkel<Report>("stack", ...subs, ...reference, ...fine);
  expect(cut.facts.width).toBeLessThan(480);
  const skyOf = async (path: string) => {
    const { cards } = (await readPicture(path)).file;
    const get = (keyword: string) => Number(cards.find((card) => card.keyword === keyword)?.value);
    expect([get("CRVAL1"), get("CRVAL2")]).toEqual([83.1, -5.2]);
    return ({ x, y }: { x: number; y: number }): [number, number] => {
      const [u, v] = [x + 1 - get("CRPIX1"), y + 1 - get("CRPIX2")];
      return [get("CD1_1") * u + get("CD1_2") * v, get("CD2_1") * u + get("CD2_2") * v];
    };
  };
  const [toSky, toSkyFine] = [await skyOf(at("plain.fits")), await skyOf(at("cutfine.fits"))];
  const found = cut.facts.starList.map(toSkyFine);
  const offsets = plain.facts.starList.map(toSky).flatMap(([u, v]) => {
    const near = found.map(([x, y]) => [(x - u) / 4e-4, (y - v) / 4e-4]).filter(([x, y]) => Math.hypot(x, y) < 0.4);
    return near.slice(0, 1);
  });
  expect(offsets.length).toBeGreaterThan(12);
  // Pixels of the reference; half a pixel of the finer grid would be 0.25.
  for (const k of [0, 1]) expect(Math.abs(median(offsets.map((offset) => offset[k])))).toBeLessThan(0.06);
});

test("what is rejected of each sub lies beside the stack, most of it of the sub with the trail; the report says what resampling costs", async () => {
  const subs = Array.from({ length: 4 }, (_, k) => at("sky", `weir-00${k + 1}.fits`));
  const report = dunkel<Report>("stack", ...subs, "--out", at("blocks.fits"));
  const { raster } = await readPicture(at("blocks.rejected-by-sub.fits"));
  const size = 15 * 13;
  const used = report.subs.filter((sub) => sub.used);
  expect([raster.width, raster.height, raster.channels]).toEqual([15, 13 * 2 * used.length, 1]);
  expect(report.blocks).toMatchObject({ columns: 15, rows: 13, px: 16 });
  for (const [i, { rejected }] of used.entries()) {
    // Bytes are read as shares of 255.
    const above = raster.planes[0]
      .slice(2 * i * size, (2 * i + 1) * size)
      .reduce((sum, v) => sum + Math.round(255 * v), 0);
    expect(above / (240 * 200)).toBeCloseTo(rejected?.above ?? NaN, 9);
  }
  const most = [...used].sort((a, b) => (b.rejected?.above ?? 0) - (a.rejected?.above ?? 0));
  expect(most[0].trails).toBeGreaterThan(0);
  expect(report.resampling.noise).toBeCloseTo(0.89, 1);
  expect(report.cores).toBeNull();
  // A file of counts is no sub.
  const again = dunkel<Report>("stack", ...subs, at("blocks.rejected-by-sub.fits"), "--out", at("again.fits"));
  expect(again.subs.filter((sub) => sub.used).length).toBe(used.length);
});
