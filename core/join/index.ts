export type { Joinable, JoinPart, PlacedPart } from "./join";
export { joinPart, joinRegion, relatePart } from "./join";
