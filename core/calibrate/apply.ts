import type { CfaPattern } from "../formats";
import type { CalibrateKernels, MosaicKernels } from "../kernels";
import type { CreateRaster, FrameSource, Raster, Region } from "../raster";
import {
  checkInside,
  createRaster,
  cropRaster,
  growRegion,
  intersectRegions,
  median,
  medianInPlace,
  rasterOf,
  robustSpread,
} from "../raster";
import { cfaCell, pitchOf } from "./cfa";
import type { ColumnOffset } from "./columns";
import { columnOffsets, takeColumnsOff } from "./columns";
import type { Defects } from "./defects";
import { repairInPlace } from "./defects";
import { channelNoise, demosaicedNoise } from "./demosaic/noise";
import { demosaicOf } from "./demosaic/registry";
import type { CalibrationSettings } from "./settings";

/** A light that comes out of `calibratedFrame`: its size and scale follow from demosaicing and binning. */
export interface Calibration {
  settings: CalibrationSettings;
  /** The pattern in the light's cards; null for a mono or a three-channel frame. */
  pattern: CfaPattern | null;
  bias: FrameSource | null;
  dark: FrameSource | null;
  /** Hot and cold pixels of the dark. */
  darkDefects: Defects | null;
  /** Exposure of the light over that of the dark; used where settings.scaleDark and a bias are there. */
  darkScale: number;
  flat: FrameSource | null;
  /** Mean of the flat for each place in the CFA cell (four), or for each channel. */
  flatMeans: readonly number[];
  /** Samples of the light from here on are saturated and stay at least as high, whatever the flat says; Infinity for none. */
  saturation: number;
  /** Added after the flat, in samples of the light. */
  pedestal: number;
  /** Keeps what is measured of the whole light for the next time it is opened. @default find it anew */
  keep?: Kept;
}

interface Kept {
  /** Warm columns, which cost a reading of all of it. */
  columns: (find: () => Promise<ColumnOffset[]>) => Promise<ColumnOffset[]>;
  sky: (find: () => Promise<Sky>) => Promise<Sky>;
}

/** Pixels of the light that are calibrated at once: what is needed beside the result stays within some 40 MB. */
const BAND_PIXELS = 1 << 20;

/** Pixels of surroundings that demosaics look at; even, so that the pattern stays in step. */
const HALO = 2;
/** Pixels of surroundings that are read for repairs: 4 around each pixel that is looked at for outliers, 3 that a repair looks at, one more to stay in step. */
const CLEAN_HALO = 8;

/**
 * A light with its calibration, read by regions as any frame: (L − D) / (F / mean F) per place of the CFA cell, D being the
 * dark, or bias + (dark − bias) · exposure ratio, or the bias alone; without a dark, warm columns are taken off as a whole (columns.ts); then hot and cold pixels, demosaicing, binning. Levels stay in
 * the light's own samples; masters must be in them too (formats/unit.ts). Pixels where the flat is not positive are NaN unless defects are repaired. Saturated
 * pixels keep at least their raw value. A region of the result is the same pixels as of the whole.
 * Throws RangeError where a master has another size than the light.
 * Source: common practice of CCD reduction (Howell, Handbook of CCD Astronomy, ch. 4; from memory).
 */
export function calibratedFrame(
  light: FrameSource,
  calibration: Calibration,
  kernels: CalibrateKernels & MosaicKernels,
): FrameSource {
  const { settings, bias, dark, flat, darkDefects, saturation, pedestal } = calibration;
  for (const [name, master] of Object.entries({ bias, dark, flat }))
    if (
      master &&
      (master.width !== light.width || master.height !== light.height || master.channels !== light.channels)
    )
      throw new RangeError(
        `the ${name} must be ${light.width}×${light.height}×${light.channels} as the light is, received ${master.width}×${master.height}×${master.channels}`,
      );
  const pattern =
    light.channels === 1 && calibration.pattern !== null ? (settings.pattern ?? calibration.pattern) : null;
  const pitch = pitchOf(pattern);
  const demosaic = pattern !== null && settings.demosaic !== "none" ? demosaicOf(settings.demosaic) : null;
  const shrinks = demosaic?.shrinks ?? 1;
  const factor = settings.bin;
  // Binning a bare mosaic would mix its colours: it is left as it is.
  const bin = pattern !== null && !demosaic ? 1 : factor;
  const width = Math.floor(Math.floor(light.width / shrinks) / bin);
  const height = Math.floor(Math.floor(light.height / shrinks) / bin);
  const channels = demosaic ? 3 : light.channels;
  const scaled = settings.scaleDark && bias !== null && dark !== null;
  const fromDark = settings.hotSigma > 0 && settings.hotFrom !== "light" && dark ? darkDefects : null;
  const fromLight = settings.hotSigma > 0 && (settings.hotFrom !== "dark" || darkDefects === null);
  let sky: Promise<Sky> | null = null;
  let columns: Promise<ColumnOffset[]> | null = null;

  /** Warm columns of the light, where no dark shows them; the same whatever region is read. */
  function columnsOf(): Promise<ColumnOffset[]> {
    const find = () => columnOffsets({ ...light, read: evened }, pitch);
    columns ??= fromLight && !dark ? (calibration.keep?.columns(find) ?? find()) : Promise.resolve([]);
    return columns;
  }

  /** The light less bias, each pixel as if it answered as the two beside it do: what its column still stands off is no response. */
  async function evened(region: Region): Promise<Raster> {
    const [out, b, f] = await Promise.all([light.read(region), bias?.read(region) ?? null, flat?.read(region) ?? null]);
    const [plane] = out.planes;
    const response = f?.planes[0];
    for (let i = 0; i < plane.length; i++) {
      if (b) plane[i] -= b.planes[0][i];
      const x = i % region.width;
      if (response && x >= pitch && x + pitch < region.width)
        plane[i] *= middleOf(response[i - pitch], response[i], response[i + pitch]) / response[i];
    }
    return out;
  }

  /** The light less dark, over flat, on a region of the sensor, and the first plane of the dark there. */
  async function subtracted(region: Region): Promise<{ raster: Raster; dark: Float32Array | null; hasGaps: boolean }> {
    const [raster, b, d, f] = await Promise.all([
      light.read(region),
      ...[scaled || !dark ? bias : null, dark, flat].map((source) => source?.read(region) ?? null),
    ]);
    takeColumnsOff(raster.planes[0], region, await columnsOf(), saturation);
    const own = light.channels > 1 ? 1 : pitch;
    const meanAt = (c: number, k: number): number => {
      const place = ((region.y + Math.floor(k / own)) % own) * own + ((region.x + (k % own)) % own);
      return calibration.flatMeans[light.channels > 1 ? c : place] ?? calibration.flatMeans[0];
    };
    let hasGaps = false;
    for (const [c, plane] of raster.planes.entries()) {
      const some = kernels.applyMasters(plane, region.width, region.height, {
        bias: b?.planes[c] ?? null,
        dark: d?.planes[c] ?? null,
        flat: f?.planes[c] ?? null,
        darkScale: calibration.darkScale,
        flatMeans: Array.from({ length: own * own }, (_, k) => meanAt(c, k)),
        pitch: own,
        saturation,
        pedestal,
      });
      hasGaps ||= some;
    }
    return { raster, dark: d?.planes[0] ?? null, hasGaps };
  }

  /** σ for each place of the cell, and the level of all, from nine samples of the frame; the same whatever region is read. */
  function skyOf(): Promise<Sky> {
    const find = async (): Promise<Sky> => {
      const values: number[][] = Array.from({ length: pitch * pitch }, () => []);
      const levels: number[] = [];
      const side = Math.min(128, light.width, light.height);
      for (let k = 0; k < 9; k++) {
        const x = Math.floor(((k % 3) + 0.5) * (light.width / 3) - side / 2);
        const y = Math.floor((Math.floor(k / 3) + 0.5) * (light.height / 3) - side / 2);
        const inside = (at: number, size: number) => Math.min(size - side, Math.max(0, at));
        const region = { x: inside(x, light.width), y: inside(y, light.height), width: side, height: side };
        const [plane] = (await subtracted(region)).raster.planes;
        for (let row = 0; row + pitch < side; row++)
          for (let column = 0; column + pitch < side; column++) {
            const place = ((region.y + row) % pitch) * pitch + ((region.x + column) % pitch);
            values[place].push(plane[row * side + column] - plane[row * side + column + pitch]);
          }
        levels.push(median(plane));
      }
      // The difference of two pixels has √2 of the noise of one.
      return {
        sigma: values.map((differences) => robustSpread(differences).sigma / Math.SQRT2),
        level: median(levels),
      };
    };
    sky ??= calibration.keep?.sky(find) ?? find();
    return sky;
  }

  /**
   * Marks those defects of the dark that its subtraction does not mend: pixels that lie above (or below) their neighbours in the dark by more
   * than hotSigma times the noise of the light, whose own noise would stand out. A warm pixel or a warm column is subtracted like any other
   * dark current, and keeps the light that it measured.
   */
  function markDarkDefectsInto(
    marks: Uint8Array,
    part: Float32Array,
    defects: Defects,
    grown: Region,
    sigma: readonly number[],
  ): void {
    const around = new Float32Array(8);
    for (const list of [defects.hot, defects.cold])
      for (let n = lowerBound(list, grown.y * light.width); n < list.length; n++) {
        const y = Math.floor(list[n] / light.width) - grown.y;
        const x = (list[n] % light.width) - grown.x;
        if (y >= grown.height) break;
        if (x < 0 || x >= grown.width) continue;
        let count = 0;
        for (let dy = -pitch; dy <= pitch; dy += pitch)
          for (let dx = -pitch; dx <= pitch; dx += pitch) {
            const inside = x + dx >= 0 && y + dy >= 0 && x + dx < grown.width && y + dy < grown.height;
            if (inside && (dx !== 0 || dy !== 0)) around[count++] = part[(y + dy) * grown.width + x + dx];
          }
        const place = ((grown.y + y) % pitch) * pitch + ((grown.x + x) % pitch);
        const rise = (part[y * grown.width + x] - medianInPlace(around, count)) * calibration.darkScale;
        if (Math.abs(rise) > settings.hotSigma * sigma[place % sigma.length]) marks[y * grown.width + x] = 1;
      }
  }

  /** Defects repaired, on a region of the sensor. */
  async function clean(region: Region): Promise<Raster> {
    const grown = intersectRegions(growRegion(region, CLEAN_HALO), {
      x: 0,
      y: 0,
      width: light.width,
      height: light.height,
    });
    const { raster, dark: darkPart, hasGaps } = await subtracted(grown);
    const { sigma, level } = await skyOf();
    // In the order of the places from the region's first pixel on.
    const limits = Array.from({ length: pitch * pitch }, (_, k) => {
      const place = ((grown.y + Math.floor(k / pitch)) % pitch) * pitch + ((grown.x + (k % pitch)) % pitch);
      return settings.hotSigma * sigma[place % sigma.length];
    });
    for (const plane of raster.planes) {
      const marks =
        fromLight && raster.channels === 1
          ? kernels.loneOutliers(plane, grown.width, grown.height, pitch, limits)
          : new Uint8Array(plane.length);
      if (fromDark && darkPart) markDarkDefectsInto(marks, darkPart, fromDark, grown, sigma);
      const stars = { sigma: Math.max(...sigma), level };
      repairInPlace(plane, marks, grown.width, grown.height, pitch, { hasGaps, stars });
    }
    return cropRaster(raster, { ...region, x: region.x - grown.x, y: region.y - grown.y });
  }

  /** A region in bands of rows, so that what is needed beside the result stays small. */
  async function read(region: Region, create: CreateRaster = createRaster): Promise<Raster> {
    checkInside(region, { width, height });
    const step = shrinks * bin;
    const rows = Math.max(1, Math.floor(BAND_PIXELS / (step * step * Math.max(1, region.width))));
    if (region.width === 0 || region.height <= rows) return readBand(region);
    const out = create(region.width, region.height, channels);
    for (let y = 0; y < region.height; y += rows) {
      const band = { ...region, y: region.y + y, height: Math.min(rows, region.height - y) };
      const { planes } = await readBand(band);
      planes.forEach((plane, c) => out.planes[c].set(plane, y * region.width));
    }
    return out;
  }

  async function readBand(region: Region): Promise<Raster> {
    const step = shrinks * bin;
    const wanted = { x: region.x * step, y: region.y * step, width: region.width * step, height: region.height * step };
    if (wanted.width === 0 || wanted.height === 0) return createRaster(region.width, region.height, channels);
    const halo = demosaic && shrinks === 1 ? HALO : 0;
    const grown = intersectRegions(growRegion(wanted, halo), { x: 0, y: 0, width: light.width, height: light.height });
    let raster = settings.hotSigma > 0 ? await clean(grown) : (await subtracted(grown)).raster;
    if (demosaic) {
      const cell = cfaCell(pattern as CfaPattern, grown.x, grown.y);
      raster = cropRaster(demosaic.run(raster.planes[0], grown.width, grown.height, cell, kernels), {
        x: (wanted.x - grown.x) / shrinks,
        y: (wanted.y - grown.y) / shrinks,
        width: wanted.width / shrinks,
        height: wanted.height / shrinks,
      });
    }
    return bin > 1 ? binned(raster, bin, settings.binBy) : raster;
  }

  /** Told from the mosaic, whose noise is white, before its colours are interpolated. */
  async function channelSigma(): Promise<number[] | null> {
    if (!demosaic || pattern === null) return null;
    const { sigma } = await skyOf();
    if (sigma.some((v) => !(v > 0))) return null;
    const noisy = demosaicedNoise(demosaic, pattern, sigma, kernels);
    return channelNoise(bin > 1 ? binned(noisy, bin, settings.binBy) : noisy);
  }

  return { width, height, channels, read, noise: channelSigma };
}

/** Noise and level of a calibrated light. */
interface Sky {
  /** σ for each place of the cell. */
  sigma: number[];
  level: number;
}

const middleOf = (a: number, b: number, c: number): number => Math.max(Math.min(a, b), Math.min(Math.max(a, b), c));

/** Index of the first entry that is not below `value` in a rising list. */
function lowerBound(list: Uint32Array, value: number): number {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle] < value) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** n × n pixels as one, by their sum or mean; what is left over at the right and below is cut off. NaN in a cell makes it NaN. */
export function binned(raster: Raster, n: number, by: "sum" | "mean"): Raster {
  const width = Math.floor(raster.width / n);
  const height = Math.floor(raster.height / n);
  const scale = by === "mean" ? 1 / (n * n) : 1;
  const planes = raster.planes.map((plane) => {
    const out = new Float32Array(width * height);
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        let sum = 0;
        for (let v = 0; v < n; v++) for (let u = 0; u < n; u++) sum += plane[(y * n + v) * raster.width + x * n + u];
        out[i] = sum * scale;
      }
    return out;
  });
  return rasterOf(width, height, planes);
}

/** How many sensor pixels along an axis become one pixel of the result: for the pixel scale. */
export function scaleOfCalibration(settings: CalibrationSettings, pattern: CfaPattern | null): number {
  const demosaic = pattern !== null && settings.demosaic !== "none" ? demosaicOf(settings.demosaic) : null;
  return (demosaic?.shrinks ?? 1) * (pattern !== null && !demosaic ? 1 : settings.bin);
}

/** Mean of a frame for each place of the CFA cell (one for mono, four for a mosaic) or, with several channels, for each channel. */
export function frameMeans(raster: Raster, pattern: CfaPattern | null): number[] {
  if (raster.channels > 1) return raster.planes.map((plane) => meanOf(plane));
  const pitch = pitchOf(pattern);
  const sums = new Float64Array(pitch * pitch);
  const counts = new Float64Array(pitch * pitch);
  for (let y = 0, i = 0; y < raster.height; y++)
    for (let x = 0; x < raster.width; x++, i++) {
      const v = raster.planes[0][i];
      if (v !== v) continue;
      const place = (y % pitch) * pitch + (x % pitch);
      sums[place] += v;
      counts[place]++;
    }
  return Array.from(sums, (sum, k) => sum / counts[k]);
}

function meanOf(plane: Float32Array): number {
  let sum = 0;
  let count = 0;
  for (const v of plane)
    if (v === v) {
      sum += v;
      count++;
    }
  return sum / count;
}
