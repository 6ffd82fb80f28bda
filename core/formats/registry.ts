import { AVI } from "./avi/format";
import type { ByteSource } from "./bytes";
import { FITS } from "./fits/format";
import type { PictureFile, PictureFormat } from "./picture";
import { PNG } from "./png/format";
import type { Result } from "../result";
import { FormatError, resultOf } from "./problem";
import { SER } from "./ser/format";
import { TIFF } from "./tiff/format";

/** Every format that can be read; a new one is a folder and one line here. */
const ALL = [FITS, TIFF, PNG, SER, AVI] as const;
export const FORMATS: readonly PictureFormat[] = ALL;
export type FormatId = (typeof ALL)[number]["id"];
export const FORMAT_IDS = ALL.map(({ id }) => id) as [FormatId, ...FormatId[]];

/** The format of an id. Throws RangeError for an unknown one. */
export function formatOf(id: string): PictureFormat {
  const found = FORMATS.find((format) => format.id === id);
  if (!found) throw new RangeError(`unknown format “${id}”`);
  return found;
}

/** Endings of file names for a file chooser. */
export const FILE_ENDINGS: readonly string[] = FORMATS.flatMap(({ endings }) => endings);

/**
 * Opens a picture or a video by its first bytes, not by its name. Errors are values: which file, where, what is wrong, what to do.
 */
export function openPicture(
  bytes: ByteSource,
  progress?: (fraction: number) => void,
): Promise<Result<PictureFile, FormatError>> {
  return resultOf(async () => {
    const start = await bytes.read(0, Math.min(512, bytes.size));
    const format = FORMATS.find(({ recognises }) => recognises(start));
    if (format) return (await format.reader()).open(bytes, progress);
    throw new FormatError(
      bytes.name,
      bytes.size === 0 ? "truncated" : "not-this-format",
      "byte 0",
      `the start of a file in one of the formats ${FORMATS.map(({ title }) => title).join(", ")}`,
      bytes.size === 0
        ? "an empty file"
        : JSON.stringify(String.fromCharCode(...start.subarray(0, 9).map((b) => (b >= 32 && b < 127 ? b : 46)))),
      bytes.size === 0
        ? "Copy the file again."
        : "Save the frame as FITS, TIFF or PNG, or the video as SER or AVI, and bring it in again.",
    );
  });
}
