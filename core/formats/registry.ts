import { AVI } from "./avi/read";
import type { ByteSource } from "./bytes";
import { FITS } from "./fits";
import type { PictureFile, PictureFormat } from "./picture";
import { PNG } from "./png/read";
import type { Result } from "../result";
import { FormatError, resultOf } from "./problem";
import { SER } from "./ser/read";
import { TIFF } from "./tiff/read";

/** Every format that can be read; a new one is one line here. */
export const FORMATS: readonly PictureFormat[] = [FITS, TIFF, PNG, SER, AVI];

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
    if (format) return format.open(bytes, progress);
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
