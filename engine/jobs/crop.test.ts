import { croppedTo, coveredRegion } from "./crop";
import { inMemory, madeStrip } from "./strips";
import { fitsSamples } from "@/core/formats";

test("an edge that fewer subs cover is cut away, a gap inside is not; nothing is left of nothing", () => {
  const [width, height] = [200, 100];
  const coverage = Float32Array.from({ length: width * height }, (_, i) => {
    const [x, y] = [i % width, Math.floor(i / width)];
    return Math.min(10, x + 1, 4 * (height - y)) - (x === 100 && y === 50 ? 9 : 0);
  });
  expect(coveredRegion(coverage, width, height, 0.9)).toEqual({ x: 8, y: 0, width: 192, height: 98 });
  expect(coveredRegion(coverage, width, height, 1)).toEqual({ x: 9, y: 0, width: 191, height: 98 });
  expect(coveredRegion(new Float32Array(20).fill(NaN), 5, 4, 0.5)).toBeNull();
});

test("strips are cut in all their planes, and their first pixel is reported", async () => {
  const width = 6;
  const strip = (y: number, rows: number) => {
    const plane = (value: (i: number) => number) =>
      Float32Array.from({ length: width * rows }, (_, i) => value(y * width + i));
    const bytes = (value: (i: number) => number) => fitsSamples(plane(value), "float32");
    const cover = bytes((i) => (i % width === 0 || i < width ? 1 : 5));
    const made = madeStrip({
      mean: [bytes((i) => i)],
      a: [bytes((i) => 2 * i)],
      b: [bytes((i) => 3 * i)],
      coverage: cover,
      blocks: new Uint8Array(0),
      rejections: [0, 1, 2].map((k) => Uint8Array.from(plane((i) => i + k))),
      samples: 1,
      rejected: 0,
      peakBytes: 1,
    });
    return inMemory(made);
  };
  const picture = { strips: [strip(0, 2), strip(2, 3)], width, height: 5, left: 0, top: 0 };
  expect(await croppedTo(picture, 1, 0)).toBe(picture);
  const cut = await croppedTo(picture, 1, 0.9);
  expect([cut.width, cut.height, cut.left, cut.top]).toEqual([5, 4, 1, 1]);
  const [first, second] = cut.strips;
  const floats = new DataView(await first.planes.slice(first.planeBytes, 2 * first.planeBytes).arrayBuffer());
  expect([0, 1, 4].map((k) => floats.getFloat32(4 * k))).toEqual([14, 16, 22]);
  const counts = new Uint8Array(await second.planes.slice(4 * second.planeBytes).arrayBuffer());
  expect([...counts.slice(15, 20)]).toEqual([14, 15, 16, 17, 18]);
});
