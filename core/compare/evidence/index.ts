export type { Evidence, Support } from "./evidence";
export { EVIDENCE_SCALES, evidenceFrom, evidenceOf, supportOf } from "./evidence";
export type { RingCorrelation } from "./rings";
export type { StarStanding, StarSupport } from "./stars";
export { STAR_STANDINGS } from "./stars";
export { SIGNIFICANT } from "./support";
export { bands } from "./bands";
export type { EvidenceViews, MadeOf, NoisySource, WholeViews } from "./views";
export { evidenceViews, NOISY_SOURCES, treatedSource, wholeViews } from "./views";
