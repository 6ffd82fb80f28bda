import { writeFits } from "@/core/formats";
import { quietJob } from "@/core/job";
import type { ImportedKernel } from "@/core/parameters";
import type { Raster } from "@/core/raster";
import { createRaster, rasterBytes, rasterOf } from "@/core/raster";
import { craterField, FIELD_SIDE as SIDE } from "@/core/testing/fields";
import { paintStars, randomStars, wasmKernels } from "@/core/testing/fixtures";
import { byteCache } from "../cache";
import { FactValues } from "../facts";
import { bytesOfBlob, createFrameStore } from "../frames";
import { blurOfFile } from "./blurOfFile";
import { runTask } from "./task";

const job = quietJob(wasmKernels());

/** The blur of a picture that lies in a FITS file of this name, as floats. */
function blurOf(name: string, { width, height, channels, planes }: Raster): Promise<ImportedKernel> {
  const blob = new Blob([writeFits({ width, height, channels, sample: "float32" }, planes) as BlobPart]);
  const open = createFrameStore(
    (ref) =>
      ref.kind === "blob" ? Promise.resolve(bytesOfBlob(ref.name, ref.blob)) : Promise.reject(new Error("blobs only")),
    job.kernels,
  );
  const context = { job, frames: open, facts: new FactValues(), cache: byteCache<Raster>(2 ** 20, rasterBytes) };
  return runTask(blurOfFile, { frame: { id: name, name, kind: "blob", blob } }, context);
}

/** Half of the width at which the middle row falls to half of the peak, told between pixels. */
function halfWidth({ side, values }: ImportedKernel): number {
  const middle = (side - 1) / 2;
  const row = values.slice(middle * side + middle, (middle + 1) * side);
  const k = row.findIndex((v) => v < row[0] / 2);
  return k - 1 + (row[k - 1] - row[0] / 2) / (row[k - 1] - row[k]);
}

test("a small picture is taken for one star, in the mean of its channels", async () => {
  const star = paintStars(60, 50, [{ x: 30.2, y: 24.6, flux: 40 }], { fwhm: 4, noise: 0, level: 0.1, channels: 3 });
  const kernel = await blurOf("star.fits", star);
  expect(kernel.from).toBe("star.fits");
  expect(Math.abs(2 * halfWidth(kernel) - 4)).toBeLessThan(0.2);
});

test("of a large picture the blur is that of its stars, as they tell it together", async () => {
  const stars = randomStars(60, 400, 300, 5).map((star) => ({ ...star, flux: 2 * star.flux }));
  const field = paintStars(400, 300, stars, { fwhm: 3.2, noise: 0.0003, level: 0.01, channels: 1 });
  const kernel = await blurOf("night.fits", field);
  expect(kernel.from).toBe("night.fits");
  expect(Math.abs(2 * halfWidth(kernel) - 3.2)).toBeLessThan(0.2);
  expect(kernel.values.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 5);
});

test.each([
  ["craters", rasterOf(SIDE, SIDE, [craterField(9)])],
  ["an even sky", createRaster(200, 150, 1)],
])("a large picture of %s is refused: what to choose instead is said", async (_, picture) => {
  await expect(blurOf("surface.fits", picture)).rejects.toMatchObject({
    message: "surface.fits: too few clear, lone stars tell its blur",
    advice: "Choose a picture with more stars, or one of a single star, at most 129 px to a side.",
  });
});
