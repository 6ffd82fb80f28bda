import type { Raster } from "../../raster";
import { TAG } from "./directory";

export type TiffSample = "uint16" | "float32";

/**
 * A classic little-endian TIFF 6.0 of one grey or RGB picture in strips of about 64 KiB, uncompressed: 16-bit integers (value ×
 * 65535, rounded and clamped, NaN is 0) or 32-bit floats as they are. `description` becomes ImageDescription (ASCII).
 * Throws RangeError for other channel counts and for pictures that need 4 GiB or more.
 * Source: TIFF revision 6.0 (1992), sections 2 and 7; SampleFormat: section 19.
 */
export function writeTiff(raster: Raster, sample: TiffSample, description = ""): Uint8Array {
  const { width, height, channels, planes } = raster;
  if (channels !== 1 && channels !== 3) throw new RangeError(`a TIFF holds 1 or 3 channels, received ${channels}`);
  const sampleBytes = sample === "float32" ? 4 : 2;
  const rowBytes = width * channels * sampleBytes;
  const rowsPerStrip = Math.max(1, Math.min(height, Math.floor(65536 / rowBytes)));
  const strips = Math.ceil(height / rowsPerStrip);
  const data = rowBytes * height;
  const text = description.replace(/[^\x20-\x7e\n]/g, "?");

  const SHORT = 3;
  const LONG = 4;
  const entries: { tag: number; type: number; values: number[] | string }[] = [
    { tag: TAG.width, type: LONG, values: [width] },
    { tag: TAG.height, type: LONG, values: [height] },
    { tag: TAG.bits, type: SHORT, values: Array.from({ length: channels }, () => sampleBytes * 8) },
    { tag: TAG.compression, type: SHORT, values: [1] },
    { tag: TAG.photometric, type: SHORT, values: [channels === 3 ? 2 : 1] },
    ...(text ? [{ tag: TAG.description, type: 2, values: text }] : []),
    {
      tag: TAG.stripOffsets,
      type: LONG,
      values: Array.from({ length: strips }, (_, i) => i * rowsPerStrip * rowBytes),
    },
    { tag: TAG.samplesPerPixel, type: SHORT, values: [channels] },
    { tag: TAG.rowsPerStrip, type: LONG, values: [rowsPerStrip] },
    {
      tag: TAG.stripByteCounts,
      type: LONG,
      values: Array.from({ length: strips }, (_, i) => Math.min(rowsPerStrip, height - i * rowsPerStrip) * rowBytes),
    },
    { tag: TAG.planar, type: SHORT, values: [1] },
    {
      tag: TAG.sampleFormat,
      type: SHORT,
      values: Array.from({ length: channels }, () => (sample === "float32" ? 3 : 1)),
    },
  ];
  const sizeOf = ({ type, values }: (typeof entries)[number]): number =>
    typeof values === "string" ? values.length + 1 : values.length * (type === SHORT ? 2 : 4);
  const directoryBytes = 2 + 12 * entries.length + 4;
  let extra = 8 + directoryBytes;
  const places = entries.map((entry) => {
    const size = sizeOf(entry);
    if (size <= 4) return -1;
    const place = extra;
    extra += size + (size & 1);
    return place;
  });
  const dataStart = extra + (-extra & 3);
  const total = dataStart + data;
  if (total >= 2 ** 32) throw new RangeError("a TIFF file must be smaller than 4 GiB; write FITS instead");

  const out = new Uint8Array(total);
  const view = new DataView(out.buffer);
  view.setUint16(0, 0x4949);
  view.setUint16(2, 42, true);
  view.setUint32(4, 8, true);
  view.setUint16(8, entries.length, true);
  entries.forEach(({ tag, type, values }, k) => {
    const at = 10 + 12 * k;
    view.setUint16(at, tag, true);
    view.setUint16(at + 2, type, true);
    view.setUint32(at + 4, typeof values === "string" ? values.length + 1 : values.length, true);
    const place = places[k] < 0 ? at + 8 : places[k];
    if (places[k] >= 0) view.setUint32(at + 8, place, true);
    if (typeof values === "string") for (let i = 0; i < values.length; i++) out[place + i] = values.charCodeAt(i);
    else
      values.forEach((value, i) => {
        if (type === SHORT) view.setUint16(place + 2 * i, value, true);
        else view.setUint32(place + 4 * i, value + (tag === TAG.stripOffsets ? dataStart : 0), true);
      });
  });
  for (let c = 0; c < channels; c++) {
    const plane = planes[c];
    for (let i = 0; i < plane.length; i++) {
      const at = dataStart + (i * channels + c) * sampleBytes;
      if (sample === "float32") view.setFloat32(at, plane[i], true);
      else view.setUint16(at, Math.min(65535, Math.max(0, Math.round((plane[i] || 0) * 65535))), true);
    }
  }
  return out;
}
