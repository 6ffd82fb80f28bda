import { fft2InPlace } from "../../numeric/fft";
import { checkPlane } from "../plane";
import type { ConvolutionKernels, Psf, RichardsonLucySettings } from "./contract";
import { checkPsf, goodFftSize, hastenedBy, LEAST_DIVISOR, startOf } from "./contract";

export const convolutionPlain: ConvolutionKernels = { convolve, richardsonLucy };

/** Multiplies by the PSF's transfer function (or its conjugate) on a padded grid; both real. */
function createConvolver(width: number, height: number, psf: Psf) {
  checkPsf(psf);
  const radius = (psf.size - 1) / 2;
  const w = goodFftSize(width + radius);
  const h = goodFftSize(height + radius);
  const transferRe = new Float64Array(w * h);
  const transferIm = new Float64Array(w * h);
  for (let y = 0; y < psf.size; y++)
    for (let x = 0; x < psf.size; x++) {
      const at = ((((y - radius) % h) + h) % h) * w + ((((x - radius) % w) + w) % w);
      transferRe[at] += psf.values[y * psf.size + x];
    }
  fft2InPlace(transferRe, transferIm, w, h, false);
  return (plane: Float32Array, conjugate: boolean): Float32Array => {
    const re = new Float64Array(w * h);
    const im = new Float64Array(w * h);
    for (let y = 0; y < height; y++) re.set(plane.subarray(y * width, (y + 1) * width), y * w);
    fft2InPlace(re, im, w, h, false);
    const turn = conjugate ? -1 : 1;
    for (let i = 0; i < re.length; i++) {
      const a = re[i];
      re[i] = a * transferRe[i] - im[i] * turn * transferIm[i];
      im[i] = a * turn * transferIm[i] + im[i] * transferRe[i];
    }
    fft2InPlace(re, im, w, h, true);
    const out = new Float32Array(width * height);
    for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) out[y * width + x] = re[y * w + x] / (w * h);
    return out;
  };
}

function convolve(plane: Float32Array, width: number, height: number, psf: Psf): Float32Array {
  checkPlane(plane, width, height);
  return createConvolver(width, height, psf)(plane, false);
}

function richardsonLucy(
  data: Float32Array,
  width: number,
  height: number,
  psf: Psf,
  settings: RichardsonLucySettings,
  onIteration?: (done: number) => void,
): Float32Array {
  checkPlane(data, width, height);
  const blur = createConvolver(width, height, psf);
  const { iterations, start, floor, damping, isHastened } = settings;
  if (damping) checkPlane(damping.inverse, width, height);
  if (settings.variation && typeof settings.variation.lambda !== "number")
    checkPlane(settings.variation.lambda, width, height);
  const u = startOf(start, data);
  let before = u.slice();
  for (let k = 0; k < iterations; k++) {
    const divisor = settings.variation ? divisors(u, width, settings.variation) : null;
    const ratio = blur(u, false);
    for (let i = 0; i < ratio.length; i++) {
      const b = ratio[i];
      ratio[i] = data[i] / Math.max(b, floor);
      if (damping) ratio[i] = 1 + dampingAt(damping.inverse[i] * (data[i] - b) ** 2) * (ratio[i] - 1);
    }
    const correction = blur(ratio, true);
    for (let i = 0; i < u.length; i++) u[i] *= correction[i] / (divisor ? divisor[i] : 1);
    onIteration?.(k + 1);
    if (!isHastened || k === iterations - 1) continue;
    const here = u.slice();
    const by = hastenedBy(k + 1);
    for (let i = 0; i < u.length; i++) u[i] = Math.max(0, here[i] + by * (here[i] - before[i]));
    before = here;
  }
  return u;
}

function dampingAt(far: number): number {
  const u = Math.min(1, far);
  return u ** 9 * (10 - 9 * u);
}

/** 1 − λ div(∇u/|∇u|), no less than LEAST_DIVISOR; u is taken as 0 beyond its right and lower border. */
function divisors(
  u: Float32Array,
  width: number,
  { lambda, soften }: { lambda: number | Float32Array; soften: number },
): Float64Array {
  const [px, py] = [new Float64Array(u.length), new Float64Array(u.length)];
  for (let i = 0; i < u.length; i++) {
    const gx = (i % width < width - 1 ? u[i + 1] : 0) - u[i];
    const gy = (i + width < u.length ? u[i + width] : 0) - u[i];
    const length = Math.sqrt(gx * gx + gy * gy + soften * soften);
    [px[i], py[i]] = [gx / length, gy / length];
  }
  return Float64Array.from(u, (_, i) => {
    const left = i % width > 0 ? px[i - 1] : 0;
    const above = i >= width ? py[i - width] : 0;
    const here = typeof lambda === "number" ? lambda : lambda[i];
    return Math.max(LEAST_DIVISOR, 1 - here * (px[i] - left + py[i] - above));
  });
}
