import type { Rejector } from "./rejector";

/** Keeps every value. */
export const nothing: Rejector = { id: "none", label: "nothing", narrow: () => undefined };
