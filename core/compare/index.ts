export type { Evidence, RingCorrelation, StarStanding, StarSupport } from "./evidence";
export { EVIDENCE_SCALES, evidenceOf, SIGNIFICANT, STAR_STANDINGS } from "./evidence";
export type { PictureFacts } from "./inspect";
export { inspectPicture, pictureFacts } from "./inspect";
export type { CellFacts, Spot, SpotProposal } from "./spots";
export { proposeSpots, spot } from "./spots";
export type { EqualLane, Equalled, EqualMeasure } from "./equal";
export { decidingStep, EQUAL_WITHIN, measureAt, strengthFor } from "./equal";
