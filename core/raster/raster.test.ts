import { fc } from "../testing/properties";
import { frameOfRaster } from "./frameSource";
import { createRaster, cropRaster, meanPlane, mirrorIndex, pasteInto, rasterOf, reusedRasters } from "./raster";
import { growRegion, intersectRegions, tilesOf } from "./region";

const counted = (width: number, height: number) =>
  rasterOf(width, height, [Float32Array.from({ length: width * height }, (_, i) => i)]);

test("a crop holds the pixels of its region; one outside is refused", async () => {
  const crop = cropRaster(counted(5, 4), { x: 1, y: 2, width: 3, height: 2 });
  expect([...crop.planes[0]]).toEqual([11, 12, 13, 16, 17, 18]);
  expect(() => cropRaster(counted(5, 4), { x: 3, y: 0, width: 3, height: 1 })).toThrow(RangeError);
  const read = await frameOfRaster(counted(5, 4)).read({ x: 4, y: 3, width: 1, height: 1 });
  expect([...read.planes[0]]).toEqual([19]);
});

test("pasting leaves out what falls outside", () => {
  const target = createRaster(3, 3, 1);
  pasteInto(target, counted(2, 2), 2, -1);
  expect([...target.planes[0]]).toEqual([0, 0, 2, 0, 0, 0, 0, 0, 0]);
});

test("mirrored indices do not repeat the edge and stay inside, for any index", () => {
  expect([-3, -2, -1, 0, 3, 4, 5, 6].map((i) => mirrorIndex(i, 4))).toEqual([3, 2, 1, 0, 3, 2, 1, 0]);
  expect(mirrorIndex(17, 1)).toBe(0);
  fc.assert(
    fc.property(fc.integer({ min: -1000, max: 1000 }), fc.integer({ min: 1, max: 30 }), (i, n) => {
      const k = mirrorIndex(i, n);
      expect(k >= 0 && k < n).toBe(true);
    }),
  );
});

test("tiles cover a region once, whatever the sizes", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 40 }),
      fc.integer({ min: 0, max: 40 }),
      fc.integer({ min: 1, max: 17 }),
      (w, h, side) => {
        const seen = new Uint8Array(w * h);
        for (const tile of tilesOf({ x: 3, y: 5, width: w, height: h }, side))
          for (let y = tile.y; y < tile.y + tile.height; y++)
            for (let x = tile.x; x < tile.x + tile.width; x++) seen[(y - 5) * w + x - 3]++;
        expect(seen.every((n) => n === 1)).toBe(true);
      },
    ),
  );
  expect(() => tilesOf({ x: 0, y: 0, width: 1, height: 1 }, 0)).toThrow(RangeError);
});

test("growing and intersecting regions", () => {
  const region = { x: 2, y: 3, width: 4, height: 5 };
  expect(growRegion(region, 2)).toEqual({ x: 0, y: 1, width: 8, height: 9 });
  expect(intersectRegions(region, { x: 5, y: 0, width: 9, height: 4 })).toEqual({ x: 5, y: 3, width: 1, height: 1 });
  expect(intersectRegions(region, { x: 50, y: 0, width: 9, height: 4 }).width).toBe(0);
});

test("planes of a wrong size are refused; the mean plane keeps NaN", () => {
  expect(() => rasterOf(2, 2, [new Float32Array(3)])).toThrow("must hold 4 samples, received 3");
  const mean = meanPlane(rasterOf(2, 1, [Float32Array.of(1, NaN), Float32Array.of(3, 1)]));
  expect(mean[0]).toBe(2);
  expect(mean[1]).toBeNaN();
});

test("rasters that share memory: the next one lies where the one before lay, larger ones get room", () => {
  const create = reusedRasters();
  const first = create(4, 3, 2);
  first.planes[1].fill(7);
  const second = create(3, 2, 2);
  expect(second.planes.map(({ length }) => length)).toEqual([6, 6]);
  expect(second.planes[1].buffer).toBe(first.planes[1].buffer);
  expect(second.planes[0].buffer).not.toBe(second.planes[1].buffer);
  const larger = create(9, 9, 2);
  expect(larger.planes[0].buffer).not.toBe(first.planes[0].buffer);
  expect(create(9, 9, 1).channels).toBe(1);
});
