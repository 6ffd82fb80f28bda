import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { worstDifference } from "@/core/testing/fixtures";
import { dunkel, endOf, readPicture } from "./testing";

/** What `stack` takes besides calibrated subs: raw ones with masters, a share of them, drizzle, crop. */
const folder = mkdtempSync(join(tmpdir(), "dunkel-stack-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (...names: string[]) => join(folder, ...names);

interface Report {
  subs: { name: string; used: boolean; reason: string | null; share: number | null }[];
  warnings: string[];
  stages: { stage: string; seconds: number; peakBytes: number | null }[];
  dither: { spread: number } | null;
  facts: { width: number; height: number };
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
}, 120_000);

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
}, 120_000);
