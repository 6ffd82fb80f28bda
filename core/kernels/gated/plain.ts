import type { Psf } from "../convolution/contract";
import { convolutionPlain } from "../convolution/plain";
import { checkPlane } from "../plane";
import { starletPlain } from "../starlet/plain";
import type { GatedKernels, GatedSettings } from "./contract";
import { LEAST_REACHED } from "./contract";

export const gatedPlain: GatedKernels = { gatedLucy };

function gatedLucy(
  data: Float32Array,
  width: number,
  height: number,
  psf: Psf,
  settings: GatedSettings,
  onIteration?: (done: number) => void,
): Float32Array {
  for (const plane of [data, settings.start, settings.sigma]) checkPlane(plane, width, height);
  const back = { size: psf.size, values: psf.values.slice().reverse() };
  const through = (plane: Float32Array, by: Psf) => convolutionPlain.convolve(plane, width, height, by);
  const [reached, reachedBack] = [psf, back].map((by) =>
    through(new Float32Array(data.length).fill(1), by).map((v) => Math.max(v, LEAST_REACHED)),
  );
  const u = settings.start.slice();
  for (let k = 0; k < settings.iterations; k++) {
    const seen = through(u, psf).map((v, i) => v / reached[i]);
    const missed = significant(
      data.map((v, i) => v - seen[i]),
      width,
      height,
      settings,
    );
    const ratio = missed.map((r, i) => Math.max(0, 1 + r / Math.max(seen[i], settings.floor)));
    const step = through(ratio, back);
    for (let i = 0; i < u.length; i++) u[i] *= Math.max(0, step[i] / reachedBack[i]) ** (7 / 4);
    onIteration?.(k + 1);
  }
  return u;
}

/** What a residual holds beyond the noise. */
function significant(
  residual: Float32Array,
  width: number,
  height: number,
  { gates, sigma }: GatedSettings,
): Float32Array {
  const out = new Float32Array(residual.length);
  let current = residual;
  for (const [scale, gate] of gates.entries()) {
    const smooth = starletPlain.starletSmooth(current, width, height, scale);
    for (let i = 0; i < out.length; i++) {
      const w = current[i] - smooth[i];
      out[i] += Math.sign(w) * Math.max(0, Math.abs(w) - gate * sigma[i]);
    }
    current = smooth;
  }
  return out.map((v, i) => v + current[i]);
}
