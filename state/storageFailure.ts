import { UserError } from "@/core/job";
import { isFull } from "@/storage";

/** A failed write in words: mostly that the browser's storage is full. */
export function storageFailure(error: unknown): Error {
  if (isFull(error))
    return new UserError(
      "the browser's storage is full",
      "Delete projects that you no longer need, or free disk space, and try again.",
    );
  return error instanceof Error ? error : new Error(String(error));
}
