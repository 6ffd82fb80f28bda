import { UserError } from "@/core/job";

/** A failed write in words: mostly that the browser's storage is full. */
export function storageFailure(error: unknown): Error {
  if (error instanceof Error && error.name === "QuotaExceededError")
    return new UserError(
      "the browser's storage is full",
      "Delete projects that you no longer need, or free disk space, and try again.",
    );
  return error instanceof Error ? error : new Error(String(error));
}
