import type { Calibration, CalibrationSettings, Defects } from "@/core/calibrate";
import { calibratedFrame, defectsOfDark, frameMeans } from "@/core/calibrate";
import type { ByteSource, CfaPattern, FrameUnit, PictureFile, UnitClaims } from "@/core/formats";
import {
  UNIT_LABELS,
  aduPerSample,
  factorBetween,
  openPicture,
  toSample,
  typeTellsUnit,
  unitOf,
  valueOf,
} from "@/core/formats";
import { UserError } from "@/core/job";
import type { Kernels } from "@/core/kernels";
import { dataRange } from "@/core/measure";
import type { FrameSource } from "@/core/raster";
import { scaledFrame, wholeRegion } from "@/core/raster";
import { byteCache } from "./cache";

/** Where the bytes of a stored file are; small enough to post to a worker. */
type Stored = { kind: "blob"; blob: Blob } | { kind: "file"; path: string };

/** A frame: a stored file, which frame of it, and how it is calibrated. `id` is unique to the pixels that come out. */
export type FrameRef = {
  id: string;
  name: string;
  /** Id of the stored file, where several frames come from one; `id` if missing. */
  fileId?: string;
  /** Frame of a video, 0-based. @default 0 */
  frame?: number;
  calibration?: CalibrationRef;
  /** What a person typed of its unit. @default what the header says */
  claims?: UnitClaims;
} & Stored;

/** The masters and settings with which a light is calibrated. */
export interface CalibrationRef {
  settings: CalibrationSettings;
  bias: FrameRef | null;
  dark: FrameRef | null;
  flat: FrameRef | null;
  darkScale: number;
  /** Pattern of the light; null for mono and colour frames. */
  pattern: CfaPattern | null;
}

/** Opens the bytes behind a reference; each platform brings its own. */
export type OpenBytes = (ref: FrameRef) => Promise<ByteSource>;

export function bytesOfBlob(name: string, blob: Blob): ByteSource {
  return {
    name,
    size: blob.size,
    read: async (offset, length) => {
      const bytes = new Uint8Array(await blob.slice(offset, offset + length).arrayBuffer());
      if (bytes.length < length) throw new RangeError(`${name}: bytes ${offset} … ${offset + length} lie past the end`);
      return bytes;
    },
  };
}

/** Opened files and frames by id; the header of each file is read once. */
export interface FrameStore {
  /** The bytes of the file behind a reference. */
  bytes(ref: FrameRef): Promise<ByteSource>;
  /** The file behind a reference, with its header. */
  picture(ref: FrameRef): Promise<PictureFile>;
  /** The frame, calibrated if the reference says so. */
  open(ref: FrameRef): Promise<FrameSource>;
  /** What its numbers are; found in the data where neither header nor type tell. */
  unit(ref: FrameRef): Promise<FrameUnit>;
  /** A calibration frame in the samples of another frame; UserError where the one cannot be turned into the other. */
  openIn(ref: FrameRef, of: FrameUnit, what: string): Promise<FrameSource>;
  /** Hot and cold pixels of a master dark. */
  defects(dark: FrameRef, pattern: CfaPattern | null, kSigma: number): Promise<Defects>;
}

const MOST_OPEN = 2048;
/** Memory for files that had to be decoded whole. */
const DECODED_BYTES = 512 * 2 ** 20;

export function createFrameStore(openBytes: OpenBytes, kernels: Kernels): FrameStore {
  const random = new Map<string, Promise<PictureFile>>();
  const decoded = byteCache<PictureFile>(DECODED_BYTES, ({ width, height, channels }) => width * height * channels * 4);
  const facts = new Map<string, Promise<unknown>>();

  /** A value that is worked out once for a key. */
  function once<T>(key: string, make: () => Promise<T>): Promise<T> {
    const known = facts.get(key);
    if (known) return known as Promise<T>;
    const making = make();
    facts.set(key, making);
    making.catch(() => facts.delete(key));
    return making;
  }

  async function picture(ref: FrameRef): Promise<PictureFile> {
    const key = ref.fileId ?? ref.id;
    const known = decoded.get(key) ?? random.get(key);
    if (known) return known;
    const opening = openBytes(ref).then(openPicture).then(valueOf);
    random.set(key, opening);
    try {
      const opened = await opening;
      if (!opened.randomAccess) {
        random.delete(key);
        decoded.set(key, opened);
      } else if (random.size > MOST_OPEN) random.delete(random.keys().next().value as string);
      return opened;
    } catch (error) {
      random.delete(key);
      throw error;
    }
  }

  const defects: FrameStore["defects"] = (dark, pattern, kSigma) =>
    once(`defects ${dark.id} ${pattern} ${kSigma}`, async () => {
      const source = await open(dark);
      const raster = await source.read(wholeRegion(source));
      return defectsOfDark(raster.planes[0], raster.width, raster.height, pattern, kSigma);
    });

  async function unit(ref: FrameRef): Promise<FrameUnit> {
    const file = await picture(ref);
    const index = ref.frame ?? 0;
    const range = typeTellsUnit(file)
      ? null
      : await once(`range ${ref.fileId ?? ref.id} ${index}`, () => dataRange(file.frame(index)));
    return unitOf(file, ref.claims ?? file.metadata, range);
  }

  const openIn: FrameStore["openIn"] = async (ref, of, what) => {
    const own = await unit(ref);
    const factor = factorBetween(own, of);
    if (factor === null)
      throw new UserError(
        `${ref.name}: the ${what} is in ${UNIT_LABELS[own.name]}, what it is for in ${UNIT_LABELS[of.name]}, and the gain is not known`,
        "Type in how many e⁻ an ADU is, on Header, or use a frame in the same unit.",
      );
    return scaledFrame(await open(ref), factor);
  };

  async function open(ref: FrameRef): Promise<FrameSource> {
    const file = await picture(ref);
    const light = file.frame(ref.frame ?? 0);
    if (!ref.calibration) return light;
    const { settings, bias, dark, flat, darkScale, pattern } = ref.calibration;
    const own = await unit(ref);
    const [biasFrame, darkFrame, flatFrame] = await Promise.all([
      bias && openIn(bias, own, "bias"),
      dark && openIn(dark, own, "dark"),
      flat && open(flat),
    ]);
    const wantsDefects = dark !== null && settings.hotSigma > 0 && settings.hotFrom !== "light";
    const calibration: Calibration = {
      settings,
      pattern,
      bias: biasFrame,
      dark: darkFrame,
      saturation: own.saturation === null ? Infinity : toSample(own, own.saturation),
      pedestal: settings.pedestalAdu / aduPerSample(own),
      darkDefects: wantsDefects ? await defects(dark, pattern, settings.hotSigma) : null,
      darkScale,
      keep: {
        columns: (find) =>
          once(`columns ${ref.fileId ?? ref.id} ${ref.frame ?? 0} ${bias?.id} ${flat?.id} ${pattern}`, find),
        sky: (find) => once(`sky ${ref.id}`, find),
      },
      flat: flatFrame,
      flatMeans:
        flat && flatFrame
          ? await once(`means ${flat.id} ${pattern}`, async () =>
              frameMeans(await flatFrame.read(wholeRegion(flatFrame)), pattern),
            )
          : [],
    };
    return calibratedFrame(light, calibration, kernels);
  }

  return { bytes: openBytes, picture, open, openIn, unit, defects };
}
