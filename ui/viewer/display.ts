import type { Raster } from "@/core/raster";
import type { ChannelCurve } from "@/core/display";
import type { Shows } from "@/storage";

const TABLE_SIZE = 1 << 17;
const TABLES = new Map<string, Uint8ClampedArray>();

/** Display values 0 … 255 of a curve from black to white, at steps fine enough for the faintest noise. */
function tableOf({ shape, black, white, at }: ChannelCurve): Uint8ClampedArray {
  const known = TABLES.get(shape);
  if (known) return known;
  if (TABLES.size > 24) TABLES.clear();
  const table = new Uint8ClampedArray(TABLE_SIZE + 1);
  const step = (white - black) / TABLE_SIZE;
  for (let i = 0; i <= TABLE_SIZE; i++) table[i] = 255 * at(black + i * step);
  TABLES.set(shape, table);
  return table;
}

/** A Raster as display pixels; curves null shows values 0 … 1 (of a stretched picture) as they are;
 * values are multiplied by `scaleValues` first. Missing pixels become the page's black. */
export function toImageData(
  raster: Raster,
  curves: ChannelCurve[] | null,
  scaleValues = 1,
  shows: Shows | null = null,
): ImageData {
  const { width, height, channels, planes } = raster;
  const image = new ImageData(width, height);
  const pixels = image.data;
  for (let c = 0; c < 3; c++) {
    const plane = planes[channels === 3 ? c : 0];
    const curve = curves?.[Math.min(c, curves.length - 1)];
    if (curve) {
      const table = tableOf(curve);
      const scale = TABLE_SIZE / (curve.white - curve.black);
      const black = curve.black;
      for (let i = 0, k = c; i < plane.length; i++, k += 4) {
        const t = (plane[i] * scaleValues - black) * scale;
        pixels[k] = t > 0 ? table[t < TABLE_SIZE ? t | 0 : TABLE_SIZE] : 0;
      }
    } else for (let i = 0, k = c; i < plane.length; i++, k += 4) pixels[k] = plane[i] * 255;
  }
  for (let k = 3; k < pixels.length; k += 4) pixels[k] = 255;
  if (shows) showPart(pixels, shows);
  return image;
}

const CHANNELS: Partial<Record<Shows["part"], number>> = { red: 0, green: 1, blue: 2 };
/** Marks of what is shown white and black. */
const [WHITE_MARK, BLACK_MARK] = [
  [0xe0, 0x73, 0x5c],
  [0x5f, 0xb0, 0xe0],
];

/** What of the display's pixels is shown, in place. */
function showPart(pixels: Uint8ClampedArray, { part, inverse, marksClipped }: Shows): void {
  const channel = CHANNELS[part];
  for (let k = 0; k < pixels.length; k += 4) {
    const [r, g, b] = [pixels[k], pixels[k + 1], pixels[k + 2]];
    const most = Math.max(r, g, b);
    if (part !== "colour" && part !== "noise") {
      const grey =
        channel !== undefined
          ? pixels[k + channel]
          : part === "luminance"
            ? (r + g + b) / 3
            : most > 0
              ? (255 * (most - Math.min(r, g, b))) / most
              : 0;
      pixels[k] = pixels[k + 1] = pixels[k + 2] = grey;
    }
    if (inverse) for (let c = 0; c < 3; c++) pixels[k + c] = 255 - pixels[k + c];
    if (marksClipped && (most === 255 || most === 0)) pixels.set(most === 255 ? WHITE_MARK : BLACK_MARK, k);
  }
}

/** Colours of noise that lies under and over 0; 0 itself is black. */
export const NOISE_COLOURS = { under: [0x5f, 0xb0, 0xe0], over: [0xe0, 0xa4, 0x4a] } as const;

/** Noise in false colour: the mean of the channels, black at 0, in full colour from ± `span` on. Missing pixels are black. */
export function noiseImage({ width, height, planes }: Raster, span: number): ImageData {
  const image = new ImageData(width, height);
  const pixels = image.data;
  for (let i = 0, k = 0; i < width * height; i++, k += 4) {
    let sum = 0;
    for (const plane of planes) sum += plane[i];
    const share = sum / planes.length / span;
    const colour = share < 0 ? NOISE_COLOURS.under : NOISE_COLOURS.over;
    const bright = Math.min(1, Math.abs(share));
    for (let c = 0; c < 3; c++) pixels[k + c] = bright * colour[c];
    pixels[k + 3] = 255;
  }
  return image;
}
