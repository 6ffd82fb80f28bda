import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { gunzipSync } from "node:zlib";
import { createRandom } from "@/core/numeric/random";
import { fixtureBytes, worstDifference } from "@/core/testing/fixtures";
import { otherFits } from "@/core/testing/otherFits";
import { dunkel, endOf, readPicture } from "./testing";

/** Files of other origin through the runner: units of masters, a reference asked for, inputs that stay as they are, odd and cut files. */
const folder = mkdtempSync(join(tmpdir(), "dunkel-origin-"));
afterAll(() => rmSync(folder, { recursive: true }));
const at = (...parts: string[]) => join(folder, ...parts);
const planeOf = async (path: string) => (await readPicture(path)).raster.planes[0];
const [WIDTH, HEIGHT] = [240, 200];
const subs = [1, 2, 3, 4, 5].map((k) => at(`sub${k}.fits`));

beforeAll(() => {
  subs.forEach((path, k) => writeFileSync(path, gunzipSync(fixtureBytes(`origin/sub${k + 1}.fits.gz`))));
});

test("a master dark in shares of full scale or in ADU takes off the same as one in the light's own unit", async () => {
  const random = createRandom(3);
  const dark = Float32Array.from(
    { length: WIDTH * HEIGHT },
    (_, i) => 480 + 2 * random.normal() + (i % WIDTH === 50 ? 8 : 0),
  );
  const card = { IMAGETYP: "Master Dark", EXPTIME: 60 };
  writeFileSync(at("adu.fits"), otherFits(WIDTH, HEIGHT, -32, dark, card));
  writeFileSync(
    at("shares.fits"),
    otherFits(
      WIDTH,
      HEIGHT,
      -32,
      dark.map((v) => v / 65535),
      card,
    ),
  );
  writeFileSync(
    at("electrons.fits"),
    otherFits(
      WIDTH,
      HEIGHT,
      -32,
      dark.map((v) => 0.8 * v),
      { ...card, BUNIT: "electron" },
    ),
  );
  const out = async (name: string) => {
    dunkel("calibrate", subs[0], "--dark", at(`${name}.fits`), "--out-dir", at(name));
    return planeOf(at(name, "sub1.fits"));
  };
  const adu = await out("adu");
  // The light's header shows 0.8 e⁻ in an ADU.
  for (const name of ["shares", "electrons"]) expect(worstDifference(await out(name), adu)).toBeLessThan(0.01 / 65535);
  const light = await planeOf(subs[0]);
  // Saturated pixels stay at what they are; of the others a few single ones stand out by 5 σ and are repaired.
  const isOther = (v: number, i: number) => light[i] < 0.9 && Math.abs(65535 * (v - light[i]) + dark[i]) > 0.02;
  expect([...adu].filter(isOther).length).toBeLessThan(5);
  writeFileSync(
    at("untold.fits"),
    otherFits(
      WIDTH,
      HEIGHT,
      -32,
      light.map((v) => 65535 * v),
      { EXPTIME: 60 },
    ),
  );
  const refused = endOf("calibrate", at("untold.fits"), "--dark", at("electrons.fits"), "--out-dir", at("refused"));
  expect(refused.status).toBe(1);
  expect(refused.stderr).toMatch(/e⁻|e-|electron/);
});

test("the stack has the asked reference, its cards and its sky; it never takes the place of a sub or of a foreign file", async () => {
  const out = at("stack.fits");
  const report = dunkel<{ referenceName: string }>("stack", ...subs, "--reference", subs[2], "--out", out);
  expect(report.referenceName).toContain("sub3");
  expect(JSON.parse(readFileSync(at("stack.json"), "utf8"))).toMatchObject({ referenceName: report.referenceName });
  const text = readFileSync(out).subarray(0, 11520).toString("latin1");
  expect(text).toMatch(/OBJECT {2}= 'Weir field'/);
  expect(text).toMatch(/NCOMBINE= +5/);
  expect(text).toMatch(/EXPTIME = +300/);
  expect(text).toContain("2026-02-01T22:00:00");
  const before = readFileSync(subs[0]);
  const onto = endOf("stack", ...subs, "--out", subs[0]);
  expect(onto.status).toBe(1);
  expect(readFileSync(subs[0]).equals(before)).toBe(true);
  writeFileSync(at("other.json"), '{"mine": true}');
  expect(endOf("stack", ...subs, "--out", at("other.fits")).status).toBe(1);
  expect(readFileSync(at("other.json"), "utf8")).toBe('{"mine": true}');
});

test("one byte outside ASCII in a comment, and a cut video: read, and said", () => {
  const odd = Buffer.from(readFileSync(subs[1]));
  odd[odd.indexOf("Weir field") + 1] = 0xe9;
  writeFileSync(at("odd.fits"), odd);
  const { files } = dunkel<{ files: { notes: string[]; width: number }[] }>("info", at("odd.fits"));
  expect(files[0].width).toBe(WIDTH);
  expect(files[0].notes.join()).toMatch(/ASCII/);
  dunkel("simulate", "--video", "--frames", "12", "--size", "64x64", "--seed", "2", "--out", at("video"));
  const ser = readFileSync(at("video", "oru.ser"));
  writeFileSync(at("cut.ser"), ser.subarray(0, 178 + Math.floor(7.5 * 64 * 64 * 2)));
  const cut = dunkel<{ files: { frames: number; notes: string[] }[] }>("info", at("cut.ser")).files[0];
  expect(cut.frames).toBeLessThan(12);
  expect(cut.frames).toBeGreaterThan(0);
  expect(cut.notes.join()).toMatch(/12/);
});

test("a stack of nothing usable says so; a frame of one value is left out by name", () => {
  writeFileSync(at("flat.fits"), otherFits(WIDTH, HEIGHT, 16, new Float32Array(WIDTH * HEIGHT).fill(700)));
  const { unreadable, flagged } = dunkel<{ unreadable: unknown[]; flagged: unknown[] }>(
    ...["grade", ...subs, at("flat.fits"), "--out", at("g.csv")],
  );
  expect(JSON.stringify([unreadable, flagged])).toContain("flat.fits");
  const { status, stderr } = endOf("stack", at("flat.fits"), at("flat.fits"), "--out", at("none.fits"));
  expect(status).toBe(1);
  expect(stderr).toContain("flat.fits: every pixel has the value 700");
});

test("floats in ADU become 16 bits by a scale that is measured, with their cards; a treated piece keeps its own and its sky", async () => {
  const numbers = Float32Array.from({ length: WIDTH * HEIGHT }, (_, i) => (i === 7 ? -20 : 500 + (i % 400) * 100));
  const sky = { CTYPE1: "RA---TAN", CTYPE2: "DEC--TAN", CRPIX1: 120.5, CRPIX2: 100.5, CRVAL1: 312.75, CRVAL2: 30.66 };
  const cards = { OBJECT: "Weir field", AIRMASS: 1.25, ...sky, CDELT1: -4e-4, CDELT2: 4e-4 };
  writeFileSync(at("float.fits"), otherFits(WIDTH, HEIGHT, -32, numbers, cards));
  const made = dunkel<{ sample: string; scale: number; clippedLow: number; clippedHigh: number }>(
    ...["convert", at("float.fits"), "--sample", "uint16", "--out", at("short.fits")],
  );
  expect(made).toMatchObject({ sample: "uint16", scale: 1, clippedLow: 1, clippedHigh: 0 });
  const plane = await planeOf(at("short.fits"));
  for (const i of [0, 399, 1000]) expect(65535 * plane[i]).toBeCloseTo(numbers[i], 1);
  const short = readFileSync(at("short.fits")).subarray(0, 5760).toString("latin1");
  expect(short).toMatch(/AIRMASS = +1\.25/);
  const chain = { format: "dunkel-chain", version: 1, name: "none", steps: [] };
  writeFileSync(at("chain.json"), JSON.stringify(chain));
  dunkel(
    "process",
    at("float.fits"),
    "--chain",
    at("chain.json"),
    "--region",
    "30,20,60,50",
    "--out",
    at("piece.fits"),
  );
  const piece = readFileSync(at("piece.fits")).subarray(0, 5760).toString("latin1");
  expect(piece).toMatch(/OBJECT {2}= 'Weir field'/);
  // CRPIX counts from 1; a piece that begins at (30, 20) moves it by that (FITS Standard 4.0, 8.1).
  expect(piece).toMatch(/CRPIX1 {2}= +90\.5/);
  expect(piece).toMatch(/CRPIX2 {2}= +80\.5/);
});
