import { createRandom } from "../../numeric/random";
import type { Raster } from "../../raster";
import { cropRaster, frameOfRaster, meanAndDeviation, rasterOf, wholeRegion } from "../../raster";
import { worstDifference } from "../../testing/fixtures";
import { calibratedFrame } from "../apply";
import { cfaCell } from "../cfa";
import { DEMOSAICS, demosaicOf } from "./registry";
import { withoutMasters } from "../../testing/calibration";
import { wasmKernels } from "../../testing/fixtures";

const kernels = wasmKernels();

/** What a demosaic does to noise and to stars, against the noise and the stars that were put in. */
const calibration = (demosaic: string) =>
  withoutMasters({ hotSigma: 0, demosaic }, { pattern: "RGGB", saturation: 60_000 });

test.each(DEMOSAICS.map(({ id }) => id))(
  "%s: the noise that a frame tells is that of its channels, within 5 %%, under stars too",
  async (id) => {
    const [width, height] = [480, 400];
    const random = createRandom(6);
    const stars = Array.from({ length: 60 }, () => [width * random.uniform(), height * random.uniform()]);
    const levels = [300, 500, 500, 220];
    const expose = () => {
      const mosaic = Float32Array.from({ length: width * height }, (_, i) => {
        const level = levels[(Math.floor(i / width) & 1) * 2 + (i & 1)];
        return level + Math.sqrt(level) * random.normal();
      });
      for (const [cx, cy] of stars)
        for (let y = Math.max(0, Math.ceil(cy - 9)); y < Math.min(height, cy + 9); y++)
          for (let x = Math.max(0, Math.ceil(cx - 9)); x < Math.min(width, cx + 9); x++)
            mosaic[y * width + x] += 2000 * Math.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (2 * 1.3 ** 2));
      return calibratedFrame(frameOfRaster(rasterOf(width, height, [mosaic])), calibration(id), kernels);
    };
    const [a, b] = [expose(), expose()];
    const told = (await a.noise?.()) ?? [];
    const [one, other] = [await a.read(wholeRegion(a)), await b.read(wholeRegion(b))];
    // Two exposures of one sky differ by √2 of the noise of one; what depends on the stars cancels but where gradients choose.
    const truth = one.planes.map(
      (plane, c) => meanAndDeviation(plane.map((v, i) => v - other.planes[c][i])).sigma / Math.SQRT2,
    );
    expect(told.length).toBe(3);
    truth.forEach((sigma, c) => expect(Math.abs(told[c] / sigma - 1)).toBeLessThan(0.05));
  },
);

describe("limited", () => {
  const [width, height] = [96, 96];
  const star = (colour: number[]) =>
    Float32Array.from({ length: width * height }, (_, i) => {
      const [x, y] = [i % width, Math.floor(i / width)];
      const place = cfaCell("RGGB")[(y & 1) * 2 + (x & 1)];
      return 100 + colour[place] * 5000 * Math.exp(-((x - 47.3) ** 2 + (y - 48.4) ** 2) / (2 * 1.2 ** 2));
    });
  const run = (id: string, colour: number[]) =>
    demosaicOf(id).run(star(colour), width, height, cfaCell("RGGB"), kernels);
  const light = (plane: Float32Array) => plane.reduce((sum, v) => sum + v - 100, 0);
  /** Root mean square of the difference to the star itself, over its peak. */
  const error = (id: string, colour: number[]) => {
    const { planes } = run(id, colour);
    return planes.map((plane, c) => {
      const square = plane.reduce((sum, v, i) => {
        const [x, y] = [i % width, Math.floor(i / width)];
        const truth = 100 + colour[c] * 5000 * Math.exp(-((x - 47.3) ** 2 + (y - 48.4) ** 2) / (2 * 1.2 ** 2));
        return sum + (v - truth) ** 2;
      }, 0);
      return Math.sqrt(square) / (5000 * colour[c]);
    });
  };

  test.each([[[1, 1, 1]], [[1, 0.5, 0.2]], [[0.3, 0.8, 1]]])(
    "a star of colours %j: nothing below the sky, colour within 8 %%, nearer to it than bilinear",
    (colour) => {
      const { planes } = run("limited", colour);
      for (const plane of planes)
        expect(plane.reduce((least, v) => Math.min(least, v), Infinity)).toBeGreaterThan(99.99);
      for (const [c, other] of [
        [0, 1],
        [2, 1],
      ])
        expect(Math.abs(light(planes[c]) / light(planes[other]) / (colour[c] / colour[other]) - 1)).toBeLessThan(0.08);
      const [own, plain] = [error("limited", colour), error("bilinear", colour)];
      expect(Math.hypot(...own)).toBeLessThan(Math.hypot(...plain));
    },
  );

  test("the simple gradient-corrected one makes the ring that the limit takes away", () => {
    const low = (id: string) =>
      Math.min(...run(id, [1, 0.5, 0.2]).planes.map((plane) => plane.reduce((a, v) => Math.min(a, v), Infinity)));
    expect(low("linear5")).toBeLessThan(80);
    expect(low("limited")).toBeGreaterThan(99.99);
  });
});

describe("demosaicing", () => {
  const scene = (width: number, height: number, colour: (c: number, x: number, y: number) => number) =>
    rasterOf(
      width,
      height,
      [0, 1, 2].map((c) =>
        Float32Array.from({ length: width * height }, (_, i) => colour(c, i % width, Math.floor(i / width))),
      ),
    );
  const mosaicOf = (raster: Raster, pattern: "RGGB" | "BGGR" | "GRBG" | "GBRG") => {
    const cell = cfaCell(pattern);
    return Float32Array.from({ length: raster.width * raster.height }, (_, i) => {
      const x = i % raster.width;
      const y = Math.floor(i / raster.width);
      return raster.planes[cell[(y & 1) * 2 + (x & 1)]][i];
    });
  };

  test.each(
    DEMOSAICS.flatMap(({ id }) => (["RGGB", "BGGR", "GRBG", "GBRG"] as const).map((pattern) => [id, pattern] as const)),
  )("%s keeps an even colour exactly, pattern %s, odd sizes too", (id, pattern) => {
    const even = scene(11, 9, (c) => [0.2, 0.5, 0.9][c]);
    const out = demosaicOf(id).run(mosaicOf(even, pattern), 11, 9, cfaCell(pattern), kernels);
    out.planes.forEach((plane, c) =>
      expect(worstDifference(plane, new Float32Array(plane.length).fill([0.2, 0.5, 0.9][c]))).toBeLessThan(1e-6),
    );
    expect([out.width, out.height]).toEqual(id === "superpixel" ? [5, 4] : [11, 9]);
  });

  test.each(["bilinear", "linear5", "gradients"])(
    "%s gives a ramp in all colours back exactly, away from the border",
    (id) => {
      const ramp = scene(16, 16, (c, x, y) => 0.1 * c + 0.01 * x + 0.02 * y);
      const out = demosaicOf(id).run(mosaicOf(ramp, "GRBG"), 16, 16, cfaCell("GRBG"), kernels);
      const inner = { x: 3, y: 3, width: 10, height: 10 };
      cropRaster(out, inner).planes.forEach((plane, c) =>
        expect(worstDifference(plane, cropRaster(ramp, inner).planes[c])).toBeLessThan(2e-6),
      );
    },
  );

  test("at a grey edge the better methods err less than bilinear", () => {
    const edge = scene(32, 32, (_, x, y) => (x + 0.5 * y > 22.3 ? 0.9 : 0.1));
    const error = (id: string) => {
      const out = demosaicOf(id).run(mosaicOf(edge, "RGGB"), 32, 32, cfaCell("RGGB"), kernels);
      return out.planes.reduce(
        (sum, plane, c) => sum + plane.reduce((s, v, i) => s + (v - edge.planes[c][i]) ** 2, 0),
        0,
      );
    };
    expect(error("linear5")).toBeLessThan(0.6 * error("bilinear"));
    expect(error("gradients")).toBeLessThan(0.6 * error("bilinear"));
  });
});
