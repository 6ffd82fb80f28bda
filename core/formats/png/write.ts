import { encode } from "fast-png";
import type { Raster } from "../../raster";

/** A grey or RGB PNG of a display picture (0 … 1, clamped; NaN is 0) with 8 or 16 bits per sample. Package: fast-png. */
export function writePng(raster: Raster, depth: 8 | 16, text: Record<string, string> = {}): Uint8Array {
  const { width, height, channels, planes } = raster;
  if (channels !== 1 && channels !== 3) throw new RangeError(`a PNG holds 1 or 3 channels, received ${channels}`);
  const most = depth === 8 ? 255 : 65535;
  const data = depth === 8 ? new Uint8Array(width * height * channels) : new Uint16Array(width * height * channels);
  for (let c = 0; c < channels; c++) {
    const plane = planes[c];
    for (let i = 0; i < plane.length; i++)
      data[i * channels + c] = Math.round(Math.min(1, Math.max(0, plane[i] || 0)) * most);
  }
  return encode({ width, height, data, depth, channels, text });
}
