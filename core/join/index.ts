export type { ChannelChoice } from "./channels";
export { channelsByFilter } from "./channels";
export type { Joinable, JoinPart, PlacedPart } from "./join";
export { joinPart, joinRegion, relatePart } from "./join";
