import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { createRandom } from "../numeric/random";
import { wholeRegion } from "../raster";
import { bytesOfArray } from "./bytes";
import { FormatError } from "./problem";
import { openPicture } from "./registry";
import { rasterOf } from "../raster";
import { serFrame, serHeader, serTrailer } from "./ser/write";

/**
 * Thousands of damaged files of each format: bytes changed, removed, repeated, cut off. Each gives a FormatError or a picture of
 * its claimed size; none hangs, crashes, or allocates more than twice the true picture (and a constant for tables).
 */
const folder = join(__dirname, "../../reference/fixtures/formats");
const all = readdirSync(folder).filter((name) => name !== "expected.json");
const fromFolder = (pattern: RegExp) =>
  all
    .filter((name) => pattern.test(name))
    .map((name) => ({ name, bytes: new Uint8Array(readFileSync(join(folder, name))) }));

const serVideo = (() => {
  const times = [1e12, 1e12 + 20, 1e12 + 40];
  const layout = {
    width: 30,
    height: 24,
    channels: 1 as const,
    cfa: null,
    depth: 16 as const,
    instrument: "",
    telescope: "",
    times,
  };
  const frame = serFrame(rasterOf(30, 24, [Float32Array.from({ length: 720 }, (_, i) => i / 1000)]), 16);
  const parts = [serHeader(layout), frame, frame, frame, serTrailer(layout)];
  return { name: "made.ser", bytes: Uint8Array.from(parts.flatMap((part) => [...part])) };
})();

/** Name, files, how many damaged ones, and how many of those at least can still be read (checksums of PNG leave few). */
const FORMATS: [string, { name: string; bytes: Uint8Array }[], number, number][] = [
  ["FITS", fromFolder(/^(i64|extension|long|bottomup)\.fits$/), 3000, 60],
  [
    "gzipped and tile-compressed FITS",
    fromFolder(/^(rice_1_i16|rice_tiles|rice_1_dither2|gzip_1_u16|gzip_2_dither1|gzip_2_lossless)\.fits$|\.gz$/),
    3000,
    60,
  ],
  ["TIFF", fromFolder(/\.tif$/), 3000, 60],
  ["PNG", fromFolder(/\.png$/), 3000, 1],
  ["AVI", fromFolder(/(colour|grey)\.avi$/), 3000, 60],
  ["SER", [serVideo], 3000, 60],
];

/** Bytes of the largest picture in the set, as floats: three channels of 30 × 24. */
const TRUE_BYTES = 30 * 24 * 3 * 4;
/** Tables and windows that do not depend on the picture: random numbers of the dithering, inflate's window, LZW's table. */
const TABLES = 700_000;

test.each(FORMATS)(
  "%s",
  async (_, files, count, least) => {
    const seed = 20260117;
    const random = createRandom(seed);
    const whole = (n: number) => Math.floor(random.uniform() * n);
    const seen = { refused: 0, read: 0 };
    const watch = watchAllocations();
    try {
      for (let k = 0; k < count; k++) {
        const { name, bytes } = files[k % files.length];
        const damaged = damage(bytes, whole, random.uniform());
        watch.reset();
        try {
          const opened = await openPicture(bytesOfArray(name, damaged));
          if (!opened.ok) throw opened.reason;
          const picture = opened.value;
          const raster = await picture.frame(picture.frames - 1).read(wholeRegion(picture));
          expect(raster.planes.every((plane) => plane.length === picture.width * picture.height)).toBe(true);
          seen.read++;
        } catch (error) {
          if (!(error instanceof FormatError))
            throw new Error(`${name}, seed ${seed}, case ${k}: ${String(error)}`, { cause: error });
          seen.refused++;
        }
        if (watch.largest() > 2 * TRUE_BYTES + TABLES)
          throw new Error(`${name}, seed ${seed}, case ${k}: allocated ${watch.largest()} bytes`);
      }
    } finally {
      watch.end();
    }
    // Both happen often: the damage is neither harmless nor always caught at the first byte.
    expect(seen.refused).toBeGreaterThan(count / 50);
    expect(seen.read).toBeGreaterThanOrEqual(least);
  },
  120_000,
);

function damage(bytes: Uint8Array, whole: (n: number) => number, kind: number): Uint8Array {
  const out = bytes.slice();
  const extremes = [0, 1, 0x7f, 0x80, 0xff];
  // Half of the hits go into the first 600 bytes, where the headers are.
  const place = () => whole(whole(2) === 0 ? Math.min(600, out.length) : out.length);
  if (kind < 0.15) return out.subarray(0, whole(out.length));
  if (kind < 0.25) {
    const from = whole(out.length);
    const length = whole(200);
    return Uint8Array.from([...out.subarray(0, from), ...out.subarray(Math.min(out.length, from + length))]);
  }
  if (kind < 0.35) {
    const at = place();
    return Uint8Array.from([...out.subarray(0, at), ...out.subarray(at, at + whole(100)), ...out.subarray(at)]);
  }
  for (let n = 1 + whole(8); n > 0; n--) out[place()] = whole(2) === 0 ? whole(256) : extremes[whole(5)];
  // In text headers digits make the claims.
  if (kind > 0.8)
    for (let n = 0; n < 4; n++) {
      const at = place();
      if (out[at] >= 0x30 && out[at] <= 0x39) out[at] = 0x30 + whole(10);
      else if (out[at] === 0x20) out[at] = 0x39;
    }
  return out;
}

/** Replaces the constructors of typed arrays by ones that note the largest allocation by length. */
function watchAllocations() {
  let largest = 0;
  const names = ["Float32Array", "Float64Array", "Uint8Array", "Uint16Array", "Int32Array"] as const;
  const originals = names.map((name) => globalThis[name]);
  names.forEach((name, i) => {
    const watched = new Proxy(originals[i] as Uint8ArrayConstructor, {
      construct(target, args: [number], newTarget) {
        if (typeof args[0] === "number") largest = Math.max(largest, args[0] * target.BYTES_PER_ELEMENT);
        return Reflect.construct(target, args, newTarget) as Uint8Array;
      },
    });
    Object.assign(globalThis, { [name]: watched });
  });
  return {
    reset: () => (largest = 0),
    largest: () => largest,
    end: () => names.forEach((name, i) => Object.assign(globalThis, { [name]: originals[i] })),
  };
}
