import type { Raster } from "@/core/raster";
import type { StretchCurve } from "@/core/operations";

const TABLE_SIZE = 1 << 17;
const TABLES = new Map<number, Uint8ClampedArray>();

/** Display values 0 … 255 of the arcsinh curve over t = 0 … 1, at steps fine enough for the faintest noise. */
function tableOf(a: number): Uint8ClampedArray {
  const known = TABLES.get(a);
  if (known) return known;
  if (TABLES.size > 24) TABLES.clear();
  const table = new Uint8ClampedArray(TABLE_SIZE + 1);
  const height = 255 / Math.asinh(a);
  for (let i = 0; i <= TABLE_SIZE; i++) table[i] = Math.asinh((a * i) / TABLE_SIZE) * height;
  TABLES.set(a, table);
  return table;
}

/** A Raster as display pixels; curves null shows values 0 … 1 (of a stretched picture) as they are;
 * values are multiplied by `scaleValues` first. Missing pixels become the page's black. */
export function toImageData(raster: Raster, curves: StretchCurve[] | null, scaleValues = 1): ImageData {
  const { width, height, channels, planes } = raster;
  const image = new ImageData(width, height);
  const pixels = image.data;
  for (let c = 0; c < 3; c++) {
    const plane = planes[channels === 3 ? c : 0];
    const curve = curves?.[Math.min(c, curves.length - 1)];
    if (curve) {
      const table = tableOf(curve.a);
      const scale = TABLE_SIZE / (curve.white - curve.black);
      const black = curve.black;
      for (let i = 0, k = c; i < plane.length; i++, k += 4) {
        const t = (plane[i] * scaleValues - black) * scale;
        pixels[k] = t > 0 ? table[t < TABLE_SIZE ? t | 0 : TABLE_SIZE] : 0;
      }
    } else for (let i = 0, k = c; i < plane.length; i++, k += 4) pixels[k] = plane[i] * 255;
  }
  for (let k = 3; k < pixels.length; k += 4) pixels[k] = 255;
  return image;
}
