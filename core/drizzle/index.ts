export type { DitherFacts } from "./dither";
export { ditherFacts, ditherWarning } from "./dither";
export type { DrizzleSource } from "./drizzle";
export { drizzledSize, drizzleRegion, drizzleScaleOf } from "./drizzle";
