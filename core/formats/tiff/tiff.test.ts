import { fromArrayBuffer } from "geotiff";
import { rasterOf, wholeRegion } from "../../raster";
import { bytesOfArray } from "../bytes";
import { valueOf } from "../problem";
import { openPicture } from "../registry";
import { decompress, unpredictInPlace } from "./decompress";
import { writeTiff } from "./write";

const planes = (n: number) =>
  Array.from({ length: 3 }, (_, c) => Float32Array.from({ length: n }, (_, i) => ((i * 7 + c * 31) % 101) / 100));

test.each([
  ["uint16", 1],
  ["uint16", 3],
  ["float32", 1],
  ["float32", 3],
] as const)("a written TIFF (%s, %i channels) is read alike by geotiff and by ourselves", async (sample, channels) => {
  const raster = rasterOf(301, 123, planes(301 * 123).slice(0, channels));
  raster.planes[0][5] = sample === "float32" ? -2.5 : 0.25;
  const file = writeTiff(raster, sample, "made with strength 0.5");
  const other = await (await fromArrayBuffer(file.slice().buffer)).getImage(0);
  expect([other.getWidth(), other.getHeight(), other.getSamplesPerPixel()]).toEqual([301, 123, channels]);
  const rasters = (await other.readRasters({ interleave: false })) as unknown as ArrayLike<number>[];
  const own = valueOf(await openPicture(bytesOfArray("a.tif", file)));
  expect(own.cards.find(({ keyword }) => keyword === "ImageDescription")?.value).toBe("made with strength 0.5");
  const read = await own.frame(0).read(wholeRegion(own));
  for (let c = 0; c < channels; c++)
    for (const i of [0, 5, 300, 301, 20_000, 301 * 123 - 1]) {
      const value = raster.planes[c][i];
      const stored = sample === "float32" ? value : Math.round(value * 65535);
      expect(rasters[c][i]).toBe(stored);
      expect(read.planes[c][i]).toBe(Math.fround(stored / own.fullScale));
    }
});

test("clamped, rounded, NaN is 0 in 16 bits; four channels are refused", async () => {
  const file = writeTiff(rasterOf(3, 1, [Float32Array.of(-1, 2, NaN)]), "uint16");
  const own = valueOf(await openPicture(bytesOfArray("a.tif", file)));
  expect([...(await own.frame(0).read(wholeRegion(own))).planes[0]]).toEqual([0, 1, 0]);
  expect(() =>
    writeTiff(
      rasterOf(
        1,
        1,
        Array.from({ length: 4 }, () => new Float32Array(1)),
      ),
      "uint16",
    ),
  ).toThrow(RangeError);
});

test("PackBits: the worked example of TIFF 6.0, section 9", () => {
  const packed = Uint8Array.of(
    0xfe,
    0xaa,
    0x02,
    0x80,
    0x00,
    0x2a,
    0xfd,
    0xaa,
    0x03,
    0x80,
    0x00,
    0x2a,
    0x22,
    0xf7,
    0xaa,
  );
  const plain = "aa aa aa 80 00 2a aa aa aa aa 80 00 2a 22 aa aa aa aa aa aa aa aa aa aa";
  expect([...decompress(packed, 32773, 24)].map((b) => b.toString(16).padStart(2, "0")).join(" ")).toBe(plain);
});

test("LZW: the worked example of TIFF 6.0, section 13", () => {
  // The string 7 7 7 8 8 7 7 6 6 is coded 256 7 258 8 8 258 6 6 257 in 9 bits each.
  const codes = [256, 7, 258, 8, 8, 258, 6, 6, 257];
  const bits = codes.map((code) => code.toString(2).padStart(9, "0")).join("");
  const packed = Uint8Array.from({ length: Math.ceil(bits.length / 8) }, (_, i) =>
    parseInt(bits.slice(8 * i, 8 * i + 8).padEnd(8, "0"), 2),
  );
  expect([...decompress(packed, 5, 9)]).toEqual([7, 7, 7, 8, 8, 7, 7, 6, 6]);
  expect(() => decompress(packed, 5, 10)).toThrow("9 of 10");
});

test("predictors: horizontal differencing of 16-bit RGB, and bytes of floats by significance", () => {
  const base = { predictor: 2, bits: 16, littleEndian: false } as Parameters<typeof unpredictInPlace>[1];
  const block = Uint8Array.of(0, 10, 0, 20, 0, 30, 0, 1, 255, 255, 0, 2);
  unpredictInPlace(block, base, 6, 3);
  expect([...block]).toEqual([0, 10, 0, 20, 0, 30, 0, 11, 0, 19, 0, 32]);
  const values = Float32Array.of(1.5, -2.25, 3e-8);
  const big = new DataView(new ArrayBuffer(12));
  values.forEach((v, i) => big.setFloat32(4 * i, v));
  const bySignificance = [0, 1, 2, 3].flatMap((b) => [0, 1, 2].map((i) => big.getUint8(4 * i + b)));
  const differenced = Uint8Array.from(bySignificance.map((b, i) => (i === 0 ? b : b - bySignificance[i - 1])));
  unpredictInPlace(differenced, { ...base, predictor: 3, bits: 32, littleEndian: true }, 3, 1);
  expect(new Float32Array(differenced.buffer)).toEqual(values);
});
