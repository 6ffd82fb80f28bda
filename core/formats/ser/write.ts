import type { Raster } from "../../raster";
import type { CfaPattern } from "../metadata";
import { SER_HEADER_BYTES, SER_ID, SER_TICKS_TO_1970 } from "./layout";

export interface SerLayout {
  width: number;
  height: number;
  channels: 1 | 3;
  cfa: CfaPattern | null;
  depth: 8 | 16;
  instrument: string;
  telescope: string;
  /** Start of each frame in ms since 1970, UTC. */
  times: number[];
}

/** The header of a SER video of version 3, samples least significant byte first. */
export function serHeader(layout: SerLayout): Uint8Array {
  const bytes = new Uint8Array(SER_HEADER_BYTES);
  const view = new DataView(bytes.buffer);
  const text = (at: number, value: string) => {
    for (let i = 0; i < Math.min(40, value.length); i++) bytes[at + i] = value.charCodeAt(i) & 127;
  };
  text(0, SER_ID);
  const mosaics: Record<CfaPattern, number> = { RGGB: 8, GRBG: 9, GBRG: 10, BGGR: 11 };
  const colour = layout.channels === 3 ? 100 : layout.cfa ? mosaics[layout.cfa] : 0;
  [0, colour, 1, layout.width, layout.height, layout.depth, layout.times.length].forEach((value, i) =>
    view.setInt32(14 + 4 * i, value, true),
  );
  text(82, layout.instrument);
  text(122, layout.telescope);
  const start = ticksOf(layout.times[0] ?? 0);
  view.setBigInt64(162, start, true);
  view.setBigInt64(170, start, true);
  return bytes;
}

/** One frame: samples interleaved, value × full scale, rounded and clamped; NaN is 0. */
export function serFrame(raster: Raster, depth: 8 | 16): Uint8Array {
  const { width, height, channels, planes } = raster;
  const most = 2 ** depth - 1;
  const bytes = new Uint8Array((width * height * channels * depth) / 8);
  const view = new DataView(bytes.buffer);
  for (let c = 0; c < channels; c++)
    for (let i = 0; i < width * height; i++) {
      const value = Math.min(most, Math.max(0, Math.round((planes[c][i] || 0) * most)));
      if (depth === 8) bytes[i * channels + c] = value;
      else view.setUint16(2 * (i * channels + c), value, true);
    }
  return bytes;
}

/** The trailer: the time of each frame. */
export function serTrailer(layout: SerLayout): Uint8Array {
  const bytes = new Uint8Array(8 * layout.times.length);
  const view = new DataView(bytes.buffer);
  layout.times.forEach((ms, i) => view.setBigInt64(8 * i, ticksOf(ms), true));
  return bytes;
}

function ticksOf(ms: number): bigint {
  return BigInt(Math.round(ms)) * 10_000n + SER_TICKS_TO_1970;
}
