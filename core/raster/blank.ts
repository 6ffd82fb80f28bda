import type { FrameSource } from "./frameSource";
import type { Raster } from "./raster";

/** Less than this share of a picture is not looked for. */
const LEAST_SHARE = 5e-4;
/** So much of all that has the value must hang together with the border, and so much of that lie among its like. */
const [TOGETHER, SOLID] = [0.9, 0.6];
/** Data are looked at so many px away: those next to a border may be mixed with it. */
const BESIDE = 4;
/** Shares of the data: to either side of the value that stands for none, beside it; and nearer to it than half way to those, everywhere. */
const [EITHER_SIDE, NEAR] = [0.2, 1e-3];

/**
 * The value that stands for “no data” along the borders of a picture, as registered frames have it (0 in all channels, as a rule); null for none. A dark sky of which most is cut off at black is none: there data
 * begin at that value and lie to one side of it. Beside a border without data they lie far from its value, or, where the sky was subtracted, to both sides. A border narrower than three px is not seen. Source: own.
 */
export function blankValue({ width, height, planes }: Raster): number | null {
  const [first, ...others] = planes;
  const is = (i: number, value: number) => first[i] === value && others.every((plane) => plane[i] === value);
  const value = commonestOnBorder(first, width, height);
  if (value === null) return null;
  const { area, size } = fromBorder(width, height, (i) => is(i, value));
  if (size < LEAST_SHARE * first.length) return null;
  const at = (x: number, y: number) => (x < 0 || y < 0 || x >= width || y >= height ? -1 : y * width + x);
  const around = (i: number, far: number): number[] => {
    const [x, y] = [i % width, Math.floor(i / width)];
    return [at(x - far, y), at(x + far, y), at(x, y - far), at(x, y + far)];
  };
  let [all, inner, most] = [0, 0, -Infinity];
  const beside: number[] = [];
  for (let i = 0; i < first.length; i++) {
    if (first[i] > most) most = first[i];
    if (is(i, value)) all++;
    if (area[i] === 0) continue;
    if (around(i, 1).every((k) => k < 0 || area[k] === 1)) inner++;
    else for (const k of around(i, BESIDE)) if (k >= 0 && area[k] === 0 && first[k] === first[k]) beside.push(first[k]);
  }
  // The highest value is where light is cut off.
  if (value === most || size < TOGETHER * all || inner < SOLID * size || beside.length === 0) return null;
  const below = beside.filter((v) => v < value).length;
  const above = beside.filter((v) => v > value).length;
  if (Math.min(below, above) >= EITHER_SIDE * beside.length) return value;
  const half = Math.abs(beside.sort((a, b) => a - b)[beside.length >> 1] - value) / 2;
  let near = 0;
  for (let i = 0; i < first.length; i++) if (Math.abs(first[i] - value) < half && area[i] === 0) near++;
  return near <= NEAR * (first.length - size) ? value : null;
}

/** The value that most pixels of the outermost rows and columns have, where a hundredth of them do; null for none. */
function commonestOnBorder(plane: Float32Array, width: number, height: number): number | null {
  const counts = new Map<number, number>();
  let [best, most, all] = [NaN, 0, 0];
  const look = (v: number) => {
    if (v !== v) return;
    all++;
    const count = (counts.get(v) ?? 0) + 1;
    counts.set(v, count);
    if (count > most) [best, most] = [v, count];
  };
  for (let x = 0; x < width; x++) for (const y of [0, height - 1]) look(plane[y * width + x]);
  for (let y = 1; y < height - 1; y++) for (const x of [0, width - 1]) look(plane[y * width + x]);
  return most > 1 && most >= 0.01 * all ? best : null;
}

/** 1 for what hangs together with the border, by sides, and how many pixels that are. */
function fromBorder(width: number, height: number, is: (i: number) => boolean): { area: Uint8Array; size: number } {
  const area = new Uint8Array(width * height);
  const open: number[] = [];
  let size = 0;
  const take = (i: number) => {
    if (area[i] === 1 || !is(i)) return;
    area[i] = 1;
    size++;
    open.push(i);
  };
  for (let x = 0; x < width; x++) [x, (height - 1) * width + x].forEach(take);
  for (let y = 0; y < height; y++) [y * width, y * width + width - 1].forEach(take);
  for (let i = open.pop(); i !== undefined; i = open.pop()) {
    const x = i % width;
    if (x > 0) take(i - 1);
    if (x < width - 1) take(i + 1);
    if (i >= width) take(i - width);
    if (i < area.length - width) take(i + width);
  }
  return { area, size };
}

/** Overwrites pixels of which all channels have the value with NaN. */
export function withoutBlank(raster: Raster, value: number | null): Raster {
  if (value === null) return raster;
  const { planes } = raster;
  const [first] = planes;
  for (let i = 0; i < first.length; i++)
    if (first[i] === value && planes.every((plane) => plane[i] === value)) for (const plane of planes) plane[i] = NaN;
  return raster;
}

/** A frame in which pixels of which all channels have the value have no data; the frame itself for null. */
export function frameWithoutBlank(source: FrameSource, value: number | null): FrameSource {
  if (value === null) return source;
  return {
    ...source,
    width: source.width,
    height: source.height,
    channels: source.channels,
    read: async (region, create) => withoutBlank(await source.read(region, create), value),
    noise: () => source.noise?.() ?? Promise.resolve(null),
  };
}
