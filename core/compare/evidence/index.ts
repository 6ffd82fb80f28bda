export type { Evidence } from "./evidence";
export { EVIDENCE_SCALES, evidenceFrom, evidenceOf } from "./evidence";
export type { RingCorrelation } from "./rings";
export type { StarStanding, StarSupport } from "./stars";
export { STAR_STANDINGS } from "./stars";
export { SIGNIFICANT } from "./support";
export { bands } from "./bands";
export type { EvidenceSource, EvidenceViews } from "./views";
export { EVIDENCE_SOURCES, evidenceViews, treatedSource } from "./views";
