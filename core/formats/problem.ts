import type { Result } from "../result";
import { done } from "../result";

/** Why a file could not be read; the closed list that the interface can put into words. */
export type FormatReason = "not-this-format" | "damaged" | "unsupported" | "truncated" | "no-image";

/** A file that cannot be read: which, where, what was expected and found, and what to do. */
export class FormatError extends Error {
  constructor(
    readonly file: string,
    readonly reason: FormatReason,
    /** The card or byte at fault, such as "card NAXIS1" or "byte 2880". */
    readonly where: string,
    readonly expected: string,
    readonly found: string,
    readonly advice: string,
  ) {
    super(`${file}: ${where}: expected ${expected}, found ${found}. ${advice}`);
    this.name = "FormatError";
  }
}

/** The value of a result; throws its reason where there is none. */
export function valueOf<T>(result: Result<T, FormatError>): T {
  if (!result.ok) throw result.reason;
  return result.value;
}

/** The value that `work` gives, or the FormatError that it throws; other errors pass through. */
export async function resultOf<T>(work: () => Promise<T>): Promise<Result<T, FormatError>> {
  try {
    return done(await work());
  } catch (error) {
    if (error instanceof FormatError) return { ok: false, reason: error };
    throw error;
  }
}

/** Bytes of a picture from which on its data must be at least a hundredth of it: no sky is as even as that. */
const LARGE = 128 * 2 ** 20;

/**
 * Whether a compressed picture may be what it claims to be: deflate gains at most 1032 : 1, and no large picture of anything gains more than
 * 100 : 1. So a small file never costs gigabytes.
 */
export const mayHold = (pictureBytes: number, packedBytes: number): boolean =>
  pictureBytes <= 1032 * packedBytes + 65536 && (pictureBytes <= LARGE || pictureBytes <= 100 * packedBytes);
