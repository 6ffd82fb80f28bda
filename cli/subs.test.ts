import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { decode } from "fast-png";
import { bytesOfArray, openFits, valueOf } from "@/core/formats";
import { median } from "@/core/raster";
import { worstDifference } from "@/core/testing/fixtures";
import { otherFits } from "@/core/testing/otherFits";
import { dunkel, endOf, readPicture } from "./testing";

/** Raw frames and a video through the runner, from the simulated camera to the table of measures, against its truth. */
const folder = mkdtempSync(join(tmpdir(), "dunkel-subs-"));
afterAll(() => rmSync(folder, { recursive: true }));
const at = (...parts: string[]) => join(folder, ...parts);

/** Rows of a CSV file by its header; written for fields without quotes, apart from our writer. */
const rowsOf = (path: string): Record<string, string>[] => {
  const [head, ...rows] = readFileSync(path, "utf8").trim().split("\r\n");
  return rows.map((row) => Object.fromEntries(row.split(",").map((value, i) => [head.split(",")[i], value])));
};

interface RawManifest {
  frames: { file: string; type: string; fwhmPx?: number; transmission?: number }[];
  hotPixels: unknown[] | number;
}

describe("a raw night of a colour camera", () => {
  const raw = at("raw");
  let files: string[] = [];
  const of = (type: string) => files.filter((name) => name.startsWith(`${type}-`)).map((name) => at("raw", name));

  beforeAll(() => {
    const size = ["--size", "460x360", "--subs", "4", "--darks", "5", "--flats", "5", "--bias", "5"];
    files = dunkel<{ files: string[] }>(
      "simulate",
      "--raw",
      "--cfa",
      "RGGB",
      "--seed",
      "9",
      ...size,
      "--out",
      raw,
    ).files;
  });

  test("info shows format, size, type, metadata and pixel scale", () => {
    const { files: told } = dunkel<{ files: Record<string, unknown>[] }>("info", of("light")[0], of("dark")[0]);
    expect(told[0]).toMatchObject({ format: "fits", width: 460, height: 360, channels: 1, sample: "int16" });
    expect(told[0].metadata).toMatchObject({ frameType: "light", exposureS: 120, cfa: "RGGB", temperatureC: -6 });
    expect(told[1].metadata).toMatchObject({ frameType: "dark", exposureS: 120 });
    // 206.265 · µm / mm: the definition of the radian in arcsec.
    const { pixelSizeUm, focalLengthMm } = told[0].metadata as Record<string, number>;
    expect(told[0].pixelScale).toBeCloseTo((206.264806 * pixelSizeUm) / focalLengthMm, 4);
  });

  test("masters, calibration and grading agree with the simulator: noise, vignetting, FWHM, transmission", async () => {
    const master = (kind: string, ...rest: string[]) =>
      dunkel<{ frames: number; means: number[]; warnings: string[] }>(
        ...["master", "--kind", kind, ...of(kind), ...rest, "--out", at(`${kind}.fits`)],
      );
    expect(master("bias").frames).toBe(5);
    expect(master("dark").frames).toBe(5);
    const flat = master("flat", "--bias", at("bias.fits"));
    expect(flat.warnings).toEqual([]);
    // A flat over its own mean, colour by colour: the mean of each of the four is 1 (definition).
    const { raster: flatRaster } = await readPicture(at("flat.fits"));
    for (const [dx, dy] of [0, 1, 2, 3].map((k) => [k % 2, k >> 1])) {
      const cell = flatRaster.planes[0].filter((_, i) => (i % 460) % 2 === dx && Math.floor(i / 460) % 2 === dy);
      expect(cell.reduce((a, b) => a + b, 0) / cell.length).toBeCloseTo(1, 3);
    }
    const given = ["--bias", at("bias.fits"), "--dark", at("dark.fits"), "--flat", at("flat.fits")];
    const made = dunkel<{ written: string[]; warnings: string[]; hotPixels: number }>(
      ...["calibrate", ...of("light"), ...given, "--demosaic", "linear5", "--hot", "5", "--out-dir", at("out")],
    );
    expect(made.written.length).toBe(4);
    expect(made.warnings).toEqual([]);
    expect(made.hotPixels).toBeGreaterThan(20);
    const { file, raster } = await readPicture(made.written[0]);
    expect([file.channels, file.bitpix, file.metadata.cfa]).toEqual([3, -32, null]);
    expect(median(raster.planes[1])).toBeGreaterThan(0);

    const graded = dunkel<{ subs: number; reference: string; reasons: string[] }>(
      ...["grade", ...made.written, "--out", at("grade.csv")],
    );
    expect(graded.subs).toBe(4);
    expect(graded.reasons.length).toBeGreaterThanOrEqual(3);
    const truth = (JSON.parse(readFileSync(at("raw", "manifest.json"), "utf8")) as RawManifest).frames.filter(
      ({ type }) => type === "light",
    );
    const rows = rowsOf(at("grade.csv"));
    const reference = truth[rows.findIndex(({ file: name }) => name === graded.reference)];
    rows.forEach((row, i) => {
      const { transmission = NaN } = truth[i];
      // Four small subs of about 40 stars: the scatter of their photometry is a few per cent.
      expect(
        Math.abs(Number(row["starlight (%)"]) / (100 * (transmission / (reference.transmission ?? NaN))) - 1),
      ).toBeLessThan(0.05);
    });
    // Few stars, and a demosaic that widens them a little.
    const widths = rows.map((row, i) => Math.abs(Number(row["FWHM (px)"]) / (truth[i].fwhmPx ?? NaN) - 1));
    expect([...widths].sort((a, b) => a - b)[Math.floor(widths.length / 2)]).toBeLessThan(0.06);
    for (const off of widths) expect(off).toBeLessThan(0.08);
  });

  test("every mismatch is named in words; what cannot be is refused", () => {
    const warm = [
      "--raw",
      "--cfa",
      "RGGB",
      "--seed",
      "9",
      "--size",
      "460x360",
      "--subs",
      "1",
      "--bias",
      "0",
      "--flats",
      "0",
    ];
    dunkel("simulate", ...warm, "--darks", "2", "--dark-temperature", "0", "--out", at("warm"));
    dunkel(
      "master",
      "--kind",
      "dark",
      at("warm", "dark-001.fits"),
      at("warm", "dark-002.fits"),
      "--out",
      at("warm.fits"),
    );
    const { warnings } = dunkel<{ warnings: string[] }>(
      ...["calibrate", of("light")[0], "--dark", at("warm.fits"), "--demosaic", "none", "--out-dir", at("out2")],
    );
    expect(warnings.join()).toMatch(/6 °C warmer/);
    const other = endOf(
      "calibrate",
      of("light")[0],
      "--scale-dark",
      "--dark",
      at("warm.fits"),
      "--out-dir",
      at("out2"),
    );
    expect(other.stderr).toContain("--scale-dark needs both --bias and --dark");
    expect(
      endOf("master", "--kind", "dark", of("dark")[0], "--bias", of("bias")[0], "--out", at("x.fits")).stderr,
    ).toContain("they are for flats");
  });

  test("a calibrated light never takes the place of its raw file, nor of another light of its name", () => {
    const [light] = of("light");
    const before = readFileSync(light);
    const { status, stderr } = endOf("calibrate", light, "--demosaic", "none", "--out-dir", raw);
    expect(status).toBe(1);
    expect(stderr).toContain("would take the place of");
    expect(readFileSync(light).equals(before)).toBe(true);
    const twice = dunkel<{ written: string[]; unreadable: { reason: string }[] }>(
      ...["calibrate", light, at("warm", "light-001.fits"), "--demosaic", "none", "--out-dir", at("out3")],
    );
    expect(twice.written).toEqual([join(at("out3"), "light-001.fits")]);
    expect(twice.unreadable[0].reason).toContain("another light of this name");
  });

  test("convert keeps 16-bit samples through TIFF and PNG and back", async () => {
    const [light] = of("light");
    dunkel("convert", light, "--out", at("a.tif"));
    dunkel("convert", at("a.tif"), "--out", at("a.png"));
    dunkel("convert", at("a.png"), "--out", at("back.fits"), "--sample", "uint16");
    const before = await readPicture(light);
    for (const name of ["a.tif", "a.png", "back.fits"])
      expect(worstDifference((await readPicture(at(name))).raster.planes[0], before.raster.planes[0])).toBe(0);
    // A reader of our own making is not the only one to accept them.
    const png = decode(readFileSync(at("a.png")), { checkCrc: true });
    expect([png.width, png.height, png.depth, png.channels]).toEqual([460, 360, 16, 1]);
    // Signed samples, a third of them negative, keep their numbers: no unsigned integer holds them.
    const signed = at("signed.fits");
    writeFileSync(
      signed,
      otherFits(
        30,
        20,
        16,
        Array.from({ length: 600 }, (_, i) => 3 * i - 600),
      ),
    );
    const kept = dunkel<{ sample: string; clippedLow: number }>("convert", signed, "--out", at("kept.fits"));
    expect(kept).toMatchObject({ sample: "float32", clippedLow: 0 });
    const [was, became] = [await readPicture(signed), await readPicture(at("kept.fits"))];
    expect(worstDifference(became.raster.planes[0], was.raster.planes[0])).toBeLessThan(1e-6);
    const asked = dunkel<{ clippedLow: number }>("convert", signed, "--sample", "uint16", "--out", at("cut.fits"));
    expect(asked.clippedLow).toBe(200);
    expect(endOf("convert", light, "--out", at("a.bmp")).stderr).toContain("no format is written with this ending");
  });
});

test("a video: its frames are recognised, graded by sharpness, converted one by one; it is not taken for a sub", async () => {
  dunkel("simulate", "--video", "--frames", "70", "--size", "160x140", "--seed", "3", "--out", at("video"));
  const ser = at("video", "oru.ser");
  const { files } = dunkel<{ files: Record<string, unknown>[] }>("info", ser);
  expect(files[0]).toMatchObject({ format: "ser", frames: 70, width: 160, height: 140, randomAccess: true });
  const graded = dunkel<{ frames: number; reference: string }>("grade", ser, "--out", at("video.csv"));
  expect(graded.frames).toBe(70);
  const rows = rowsOf(at("video.csv"));
  const truth = (JSON.parse(readFileSync(at("video", "manifest.json"), "utf8")) as { frames: { fwhmPx: number }[] })
    .frames;
  const sharpest = rows.findIndex(({ file }) => file === graded.reference);
  const byTruth = truth.map(({ fwhmPx }, i) => ({ fwhmPx, i })).sort((a, b) => a.fwhmPx - b.fwhmPx);
  expect(byTruth.slice(0, 7).map(({ i }) => i)).toContain(sharpest); // among the true best tenth
  dunkel("convert", ser, "--frame", "5", "--out", at("frame.fits"));
  const frame = valueOf(await openFits(bytesOfArray("frame", new Uint8Array(readFileSync(at("frame.fits"))))));
  expect([frame.width, frame.height]).toEqual([160, 140]);
  expect(endOf("convert", ser, "--frame", "70", "--out", at("no.fits")).status).toBe(1);
  expect(endOf("stack", ser, "--out", at("no.fits")).stderr).toContain("a video of 70 frames is not a sub");
});
