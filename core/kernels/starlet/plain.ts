import { mirrorIndex } from "../../raster/raster";
import { checkPlane } from "../plane";
import type { ShrinkSettings, StarletKernels } from "./contract";

export const starletPlain: StarletKernels = { starletSmooth, starletShrink };

function starletSmooth(plane: Float32Array, width: number, height: number, scale: number): Float32Array {
  checkPlane(plane, width, height);
  const step = 1 << scale;
  const rows = new Float32Array(plane.length);
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++) {
    const r = [-2, -1, 0, 1, 2].map((k) => mirrorIndex(y + k * step, height) * width);
    for (let x = 0; x < width; x++)
      rows[y * width + x] =
        (plane[r[0] + x] + plane[r[4] + x]) * 0.0625 +
        (plane[r[1] + x] + plane[r[3] + x]) * 0.25 +
        plane[r[2] + x] * 0.375;
  }
  const taps = [-2, -1, 1, 2].map((k) =>
    Int32Array.from({ length: width }, (_, x) => mirrorIndex(x + k * step, width)),
  );
  for (let y = 0; y < height; y++) {
    const row = y * width;
    for (let x = 0; x < width; x++)
      out[row + x] =
        (rows[row + taps[0][x]] + rows[row + taps[3][x]]) * 0.0625 +
        (rows[row + taps[1][x]] + rows[row + taps[2][x]]) * 0.25 +
        rows[row + x] * 0.375;
  }
  return out;
}

function starletShrink(
  planes: Float32Array[],
  width: number,
  height: number,
  settings: ShrinkSettings,
): Float32Array[] {
  const { inverseSigma, k, protect } = settings;
  if (!(k > 0)) return planes.map((plane) => plane.slice());
  const scales = inverseSigma[0].length;
  let current = planes;
  const out = planes.map((plane) => new Float32Array(plane.length));
  for (let scale = 0; scale < scales; scale++) {
    const smooth = current.map((plane) => starletSmooth(plane, width, height, scale));
    const z = new Float32Array(width * height);
    for (let c = 0; c < planes.length; c++) {
      const factor = inverseSigma[c][scale] / Math.sqrt(planes.length);
      for (let i = 0; i < z.length; i++) z[i] += ((current[c][i] - smooth[c][i]) * factor) ** 2;
    }
    for (let y = 0; y < height; y++) {
      const rows = [-1, 0, 1].map((dy) => mirrorIndex(y + dy, height) * width);
      for (let x = 0; x < width; x++) {
        const columns = [mirrorIndex(x - 1, width), x, mirrorIndex(x + 1, width)];
        let e = 0;
        for (const row of rows) for (const column of columns) e += z[row + column];
        const t = z[y * width + x] + 4 * protect * Math.max(0, e / 9 - 1.5);
        const u = t / (k * k);
        const gain = (u * u) / (1 + u * u);
        for (let c = 0; c < planes.length; c++) {
          const i = y * width + x;
          out[c][i] += gain * (current[c][i] - smooth[c][i]);
        }
      }
    }
    current = smooth;
  }
  for (let c = 0; c < planes.length; c++) for (let i = 0; i < out[c].length; i++) out[c][i] += current[c][i];
  return out;
}
