export type { MeasuredPlace } from "./csv";
export { laneMeasuresCsv } from "./csv";
export type { Measure, Measured, MeasureGroup } from "./measure";
export { MEASURE_GROUPS } from "./measure";
export { MEASURES } from "./registry";
export { ringDepth } from "./ringing";
export type { LaneMeasures } from "./measureLane";
export { measureLane } from "./measureLane";
