export { clipSorted, combineInto } from "./combine";
export type { StackPiece } from "./integrate";
export { stackRegion, tileSide } from "./integrate";
export type { LeftOutSub, PlannedSub, StackPlan, SubFacts } from "./plan";
export { chooseReference, planStack } from "./plan";
export type { StackFindings, StackReport } from "./report";
export { makeReport, stackReport, stackSigmaFromHalves } from "./report";
export type { StackSettings } from "./settings";
export { stackSettings } from "./settings";
