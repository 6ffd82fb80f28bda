import { fc } from "../../testing/properties";
import { fixture, fixtureBytes, worstDifference } from "../../testing/fixtures";
import { bytesOfArray } from "../bytes";
import type { FormatError } from "../problem";
import { valueOf } from "../problem";
import { formatCard, parseCard } from "./header";
import { openFits, writeFits } from "./index";
import { metadataOfCards, pixelScaleOf } from "../metadata";

const whole = { x: 0, y: 0, width: 7, height: 5 };
const { expected } = fixture<{ expected: Record<string, (number | null)[]> }>("fits.json");
const open = async (name: string, bytes = fixtureBytes(name)) => openFits(bytesOfArray(name, bytes));

async function reasonOf(bytes: Uint8Array): Promise<FormatError> {
  const result = await openFits(bytesOfArray("bad.fits", bytes));
  if (result.ok) throw new Error("the file was accepted");
  return result.reason;
}

describe("files written by astropy.io.fits", () => {
  test.each([
    ["u8", 255],
    ["i16", 32767],
    ["i32", 1],
    ["f32", 1],
    ["f64", 1],
    ["u16", 65535],
    ["cube", 1],
    ["scaled", 32767 * 0.5],
  ])("%s: every value, on its full scale", async (name, fullScale) => {
    const frame = valueOf(await open(`${name}.fits`));
    expect([frame.width, frame.height, frame.channels]).toEqual([7, 5, name === "cube" ? 3 : 1]);
    expect(frame.fullScale).toBe(fullScale);
    const raster = await frame.read(whole);
    const values = expected[name].map((v) => (v === null ? NaN : v / fullScale));
    raster.planes.forEach((plane, c) => {
      const part = values.slice(c * 35, (c + 1) * 35);
      expect(worstDifference(plane, part)).toBeLessThan(
        1e-6 * Math.max(1, ...part.filter((v) => v === v).map(Math.abs)),
      );
    });
  });

  test("BLANK and NaN are missing pixels", async () => {
    const cube = await valueOf(await open("cube.fits")).read(whole);
    expect(cube.planes[1][2 * 7 + 3]).toBeNaN();
    const scaled = await valueOf(await open("scaled.fits")).read(whole);
    expect(scaled.planes[0][0]).toBeNaN();
  });

  test("cards: quotes inside a string, numbers, history; metadata and pixel scale", async () => {
    const { header } = valueOf(await open("u16.fits"));
    expect(header.text("OBJECT")).toBe("Weir's Nebula");
    expect(header.history).toEqual(["a line of history"]);
    const metadata = metadataOfCards(header.cards);
    expect(metadata.exposureS).toBe(120.5);
    expect(metadata.filter).toBeNull();
    // 206.265 × 4.2 / 540 = 1.6043 arcsec per px (derivation: 648000/π)
    expect(pixelScaleOf(metadata)).toBeCloseTo(1.6043, 4);
  });

  test("a region reads only its own rows", async () => {
    const bytes = fixtureBytes("f32.fits");
    const reads: number[] = [];
    const source = bytesOfArray("f32.fits", bytes);
    const frame = valueOf(await openFits({ ...source, read: (at, n) => (reads.push(n), source.read(at, n)) }));
    reads.length = 0;
    const part = await frame.read({ x: 2, y: 1, width: 3, height: 2 });
    expect(reads).toEqual([(7 + 3) * 4]);
    const all = await frame.read(whole);
    expect([...part.planes[0]]).toEqual([1, 2].flatMap((y) => [2, 3, 4].map((x) => all.planes[0][y * 7 + x])));
    await expect(frame.read({ x: 5, y: 0, width: 3, height: 1 })).rejects.toThrow(RangeError);
  });
});

describe("files written here", () => {
  const planes = [0, 1, 2].map((c) => Float32Array.from({ length: 35 }, (_, i) => (i * 3 + c) / 120));

  test("float cubes come back exactly, with their cards and history", async () => {
    const recipe = "a recipe that is longer than one card can hold, so that it goes on in the next one: σ ≥ 3";
    const bytes = writeFits(
      {
        width: 7,
        height: 5,
        channels: 3,
        sample: "float32",
        cards: [
          ["OBJECT", "it's"],
          ["EXPTIME", 2280, "s"],
        ],
        history: [recipe],
      },
      planes,
    );
    expect(bytes.length % 2880).toBe(0);
    const frame = valueOf(await open("out.fits", bytes));
    const raster = await frame.read(whole);
    raster.planes.forEach((plane, c) => expect(plane).toEqual(planes[c]));
    expect(frame.header.text("OBJECT")).toBe("it's");
    expect(frame.header.history.join("")).toContain("goes on in the next one: \\u03c3 \\u2265 3");
  });

  test("unsigned 16-bit rounds, clamps, and takes NaN as 0", async () => {
    const odd = Float32Array.of(0, 1, 1.5, -0.2, NaN, 0.5, 1 / 65535);
    const frame = valueOf(
      await open("o.fits", writeFits({ width: 7, height: 1, channels: 1, sample: "uint16" }, [odd])),
    );
    const back = await frame.read({ x: 0, y: 0, width: 7, height: 1 });
    expect([...back.planes[0]].map((v) => Math.round(v * 65535))).toEqual([0, 65535, 65535, 0, 0, 32768, 1]);
  });

  test("a card that cannot hold its value is refused", () => {
    expect(() => formatCard("EXPTIME", NaN)).toThrow(RangeError);
    expect(() => formatCard("OBJECT", "x".repeat(80))).toThrow(RangeError);
  });

  test("cards survive being written and read, for any number and text", () => {
    fc.assert(
      fc.property(fc.double({ noNaN: true, noDefaultInfinity: true }), (value) => {
        expect(parseCard(formatCard("VALUE", value)).value).toBe(value === 0 ? 0 : value);
      }),
    );
    fc.assert(
      fc.property(fc.string({ unit: "grapheme-ascii", maxLength: 30 }), (text) => {
        expect(parseCard(formatCard("TEXT", text)).value).toBe(text.trimEnd());
      }),
    );
  });
});

describe("bad files name what is wrong", () => {
  const good = fixtureBytes("u16.fits");
  const edited = (from: string, to: string) => {
    const text = Buffer.from(good).toString("latin1").replace(from, to);
    return new Uint8Array(Buffer.from(text, "latin1"));
  };

  test.each([
    ["an empty file", new Uint8Array(0), "truncated", "byte 0"],
    ["a text file", new Uint8Array(5000).fill(65), "not-this-format", "byte 0"],
    ["a header without END", edited("END     ", "ENDE    "), "damaged", "byte 2880"],
    ["data cut short", good.slice(0, 2880 + 20), "truncated", "byte 2900"],
    [
      "an unknown BITPIX",
      edited("BITPIX  =                   16", "BITPIX  =                   12"),
      "unsupported",
      "card BITPIX",
    ],
    [
      "a negative axis",
      edited("NAXIS1  =                    7", "NAXIS1  =                   -7"),
      "damaged",
      "card NAXIS1",
    ],
    [
      "an axis that is no number",
      edited("NAXIS1  =                    7", "NAXIS1  =                 'me'"),
      "damaged",
      "card NAXIS1",
    ],
    ["no image", edited("NAXIS   =                    2", "NAXIS   =                    0"), "no-image", "card NAXIS"],
    ["a control character in the keyword of a structural card", edited("BZERO", "BZ\u0007RO"), "damaged", "byte"],
  ])("%s", async (_, bytes, reason, where) => {
    const error = await reasonOf(bytes);
    expect(error.reason).toBe(reason);
    expect(error.where).toContain(where);
    expect(error.message).toContain("bad.fits");
    expect(error.advice.length).toBeGreaterThan(10);
  });

  test("a claimed size larger than the file allocates nothing", async () => {
    const huge = edited("NAXIS1  =                    7", "NAXIS1  =              1000000");
    const reads: number[] = [];
    const source = bytesOfArray("bad.fits", huge);
    const result = await openFits({ ...source, read: (at, n) => (reads.push(n), source.read(at, n)) });
    expect(result.ok).toBe(false);
    expect(Math.max(...reads)).toBe(2880);
  });

  test("damaged copies give a typed error or a picture, never anything else (seed printed by fast-check)", async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { minLength: 1, maxLength: 12 }),
        async (edits) => {
          const bytes = good.slice();
          for (const [at, value] of edits) bytes[at] = value;
          const result = await openFits(bytesOfArray("bad.fits", bytes));
          if (!result.ok) return expect(result.reason.name).toBe("FormatError");
          const { width, height } = result.value;
          await result.value.read({ x: 0, y: 0, width, height });
        },
      ),
      { numRuns: 500 },
    );
  });
});
