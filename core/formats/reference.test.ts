import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { wholeRegion } from "../raster";
import { fixture } from "../testing/fixtures";
import { bytesOfArray } from "./bytes";
import { valueOf } from "./problem";
import { openPicture } from "./registry";

/**
 * Files written by astropy (FITS and its tile compression), OpenCV and Pillow (TIFF, PNG) and ffmpeg (AVI), read here and compared
 * with what those libraries say they hold: reference/make_format_fixtures.py.
 */
interface Expected {
  pictures: (number | null)[][][];
  files: Record<string, { picture: number; width: number; height: number; frames?: number; notes?: string }>;
}
const folder = join(__dirname, "../../reference/fixtures/formats");
const expected = fixture<Expected>("formats/expected.json");
const bytesOf = (name: string) => bytesOfArray(name, new Uint8Array(readFileSync(join(folder, name))));
const refused = ["hcompress_1_i16.fits", "plio_1_u8.fits", "refused.avi"];
const names = readdirSync(folder).filter((name) => name !== "expected.json");

test("every file of the set is expected", () => {
  expect(names.sort()).toEqual(Object.keys(expected.files).sort());
});

test.each(names.filter((name) => !refused.includes(name)))("%s holds what its writer says", async (name) => {
  const { picture: which, width, height, frames = 1 } = expected.files[name];
  const planes = expected.pictures[which];
  const picture = valueOf(await openPicture(bytesOf(name)));
  expect([picture.width, picture.height, picture.channels, picture.frames]).toEqual([
    width,
    height,
    planes.length,
    frames,
  ]);
  const read = picture.frame(frames - 1);
  const raster = await read.read(wholeRegion(picture));
  planes.forEach((plane, c) => {
    const worst = plane.reduce<number>((most, value, i) => {
      const got = raster.planes[c][i] * picture.fullScale;
      if (value === null) return got === got ? Infinity : most;
      return Math.max(most, Math.abs(got - value) / Math.max(1, Math.abs(value)));
    }, 0);
    expect(worst).toBeLessThan(2e-7); // half a unit of the last place of a float32 and of the nine digits kept
  });
  // A region is the same pixels.
  const region = { x: 5, y: 7, width: 11, height: 9 };
  const part = await read.read(region);
  for (let c = 0; c < picture.channels; c++)
    for (let y = 0; y < 9; y++)
      expect(part.planes[c].subarray(y * 11, y * 11 + 11)).toEqual(
        raster.planes[c].subarray((y + 7) * width + 5, (y + 7) * width + 16),
      );
});

test.each(refused)("%s is refused with what to do", async (name) => {
  const opened = await openPicture(bytesOf(name));
  const error = opened.ok
    ? await opened.value
        .frame(0)
        .read({ x: 0, y: 0, width: 1, height: 1 })
        .then(
          () => null,
          (reason: unknown) => reason,
        )
    : opened.reason;
  expect(error).toMatchObject({ reason: "unsupported", advice: expect.stringMatching(/again|uncompressed/) });
});

test("cards: of an extension before those of the primary header, long strings joined, HIERARCH by its words", async () => {
  const extension = valueOf(await openPicture(bytesOf("extension.fits")));
  expect(extension.metadata).toMatchObject({ object: "Weir Nebula", exposureS: 300 });
  const long = valueOf(await openPicture(bytesOf("long.fits")));
  const value = (keyword: string) => long.cards.find((card) => card.keyword === keyword)?.value;
  expect(value("NOTES")).toBe(expected.files["long.fits"].notes?.trimEnd());
  expect(value("DET GAIN MODE")).toBe("high");
  expect(value("DET COOLING power")).toBe(62.5);
});

test("only files that must be decoded are not at random access", async () => {
  const random = async (name: string) => valueOf(await openPicture(bytesOf(name))).randomAccess;
  for (const name of ["i64.fits", "extension.fits", "grey16_none.tif", "rgb8_none.tif", "colour.avi", "grey.avi"])
    expect(await random(name)).toBe(true);
  for (const name of ["rice_1_i16.fits", "extension.fits.gz", "rgb16_lzw.tif", "grey16.png"])
    expect(await random(name)).toBe(false);
});
