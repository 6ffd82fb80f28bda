import { straightCurve, stretchCurves } from "@/core/display";
import { rasterOf } from "@/core/raster";
import { noiseImage, toImageData } from "./display";

beforeAll(() => {
  // Node has no ImageData; this is its shape.
  class Picture {
    readonly data: Uint8ClampedArray;
    constructor(
      readonly width: number,
      readonly height: number,
    ) {
      this.data = new Uint8ClampedArray(width * height * 4);
    }
  }
  Object.assign(globalThis, { ImageData: Picture });
});

const curves = stretchCurves(
  { sky: 0.2, black: 2 },
  { level: [0.01, 0.012, 0.009], sigma: [0.0005, 0.0004, 0.0006], white: 1 },
);

test("each channel's sky is shown near the wanted brightness, black is 0, 1 is white, a gap is black", () => {
  const planes = [
    Float32Array.of(0.01, 0, 1, NaN),
    Float32Array.of(0.012, 0, 1, NaN),
    Float32Array.of(0.009, 0, 1, NaN),
  ];
  const { data } = toImageData(rasterOf(4, 1, planes), curves);
  for (const c of [0, 1, 2]) expect(Math.abs(data[c] / 255 - 0.2)).toBeLessThan(0.05);
  expect([...data.slice(4, 8)]).toEqual([0, 0, 0, 255]);
  expect([...data.slice(8, 12)]).toEqual([255, 255, 255, 255]);
  expect([...data.slice(12, 16)]).toEqual([0, 0, 0, 255]);
});

test("the table follows the curve to one display level over the faint end", () => {
  const values = Float32Array.from({ length: 200 }, (_, i) => 0.009 + i * 1e-5);
  const { data } = toImageData(rasterOf(200, 1, [values]), [curves[0]]);
  const { a, black } = curves[0];
  values.forEach((v, i) => {
    const exact = (255 * Math.asinh((a * Math.max(0, v - black)) / (1 - black))) / Math.asinh(a);
    expect(Math.abs(data[4 * i] - exact)).toBeLessThanOrEqual(1);
  });
});

test("a grey picture is grey; without a curve values are shown as they are; values can be scaled first", () => {
  const grey = rasterOf(2, 1, [Float32Array.of(0.5, 2)]);
  expect([...toImageData(grey, null).data]).toEqual([128, 128, 128, 255, 255, 255, 255, 255]);
  const counted = toImageData(rasterOf(1, 1, [Float32Array.of(10)]), [straightCurve(0, 1)], 1 / 20);
  expect(Math.abs(counted.data[0] - 127)).toBeLessThanOrEqual(1);
});

test("one channel, luminance, saturation, black for white, and marks of what is black or white", () => {
  const one = rasterOf(1, 1, [Float32Array.of(0.2), Float32Array.of(0.4), Float32Array.of(0.8)]);
  const plain = { part: "colour", inverse: false, marksClipped: false, grid: false } as const;
  const shown = (part: Partial<Parameters<typeof toImageData>[3]>, of = one) =>
    [...toImageData(of, null, 1, { ...plain, ...part }).data].slice(0, 3);
  expect(shown({})).toEqual([51, 102, 204]);
  expect(shown({ part: "green" })).toEqual([102, 102, 102]);
  expect(shown({ part: "luminance" })).toEqual([119, 119, 119]);
  expect(shown({ part: "saturation" })).toEqual([191, 191, 191]);
  expect(shown({ inverse: true })).toEqual([204, 153, 51]);
  expect(shown({ marksClipped: true })).toEqual([51, 102, 204]);
  const [black, white] = [0, 1].map((v) => rasterOf(1, 1, [Float32Array.of(v)]));
  expect(shown({ marksClipped: true }, black)).not.toEqual(shown({ marksClipped: true }, white));
  expect(shown({ marksClipped: true }, white)).toEqual([0xe0, 0x73, 0x5c]);
});

test("noise is black at 0, sky blue under it and amber over it, and no brighter than at its span", () => {
  const raster = rasterOf(4, 1, [Float32Array.of(0, -1, 2, NaN), Float32Array.of(0, -3, 2, NaN)]);
  const { data } = noiseImage(raster, 4);
  expect([...data.slice(0, 4)]).toEqual([0, 0, 0, 255]);
  // The mean of the channels: −2 of 4.
  expect([...data.slice(4, 7)]).toEqual([0x5f, 0xb0, 0xe0].map((v) => Math.round(v / 2)));
  expect([...noiseImage(raster, 1).data.slice(8, 11)]).toEqual([0xe0, 0xa4, 0x4a]);
  expect([...data.slice(12, 15)]).toEqual([0, 0, 0]);
});
