import type { Rejector } from "../kernels";

/** Keeps every value. */
export const nothing: Rejector = { id: "none", label: "nothing", narrow: () => undefined, twin: 0 };
