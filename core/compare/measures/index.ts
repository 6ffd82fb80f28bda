export type { MeasuredPlace } from "./csv";
export { laneMeasuresCsv } from "./csv";
export type { Measure, Measured } from "./measure";
export { MEASURES } from "./registry";
export type { LaneMeasures } from "./tell";
export { tellMeasures } from "./tell";
