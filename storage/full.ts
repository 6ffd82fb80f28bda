/** Whether the browser's storage took no more; known by its name, since not every browser's exceptions are Errors. */
export const isFull = (error: unknown): boolean =>
  typeof error === "object" && error !== null && "name" in error && error.name === "QuotaExceededError";
