import { UserError } from "@/core/job";

/** Whether the browser's storage took no more; known by its name, since not every browser's exceptions are Errors. */
export const isFull = (error: unknown): boolean =>
  typeof error === "object" && error !== null && "name" in error && error.name === "QuotaExceededError";

/** A failed write in words: mostly that the browser's storage is full. */
export function storageFailure(error: unknown): Error {
  if (isFull(error))
    return new UserError(
      "the browser's storage is full",
      "Delete projects that you no longer need, or free disk space, and try again.",
    );
  return error instanceof Error ? error : new Error(String(error));
}
