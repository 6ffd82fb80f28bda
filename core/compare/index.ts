export type { PictureFacts } from "./inspect";
export { inspectPicture, pictureFacts } from "./inspect";
export type { CellFacts, Spot, SpotProposal } from "./spots";
export { proposeSpots, spot } from "./spots";
