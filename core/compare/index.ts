export type {
  Evidence,
  MadeOf,
  NoisySource,
  RingCorrelation,
  StarStanding,
  StarSupport,
  Support,
  WholeViews,
} from "./evidence";
export {
  bootstrapLight,
  EVIDENCE_SCALES,
  EVIDENCE_SIDE,
  evidenceOf,
  SIGNIFICANT,
  STAR_STANDINGS,
  supportOf,
  NOISY_SOURCES,
  treatedBootstrap,
  treatedSource,
  wholeViews,
} from "./evidence";
export type { PictureFacts } from "./inspect";
export type { TileFacts } from "./inspect";
export { factsOfTiles, inspectPicture, inspectTiles, pictureFacts, starShapeOf, tilesToInspect } from "./inspect";
export type { CellFacts, Spot, SpotProposal } from "./spots";
export { proposeSpots, spot } from "./spots";
export type { EqualLane, Equalled, EqualMeasure, EqualPart, EqualReading } from "./equal";
export { atStrength, decidingStep, EQUAL_WITHIN, equalPart, equalReading, strengthFor } from "./equal";
export type { HeldOut, LeastError } from "./heldOut";
export { heldOutError, heldOutOf, leastError } from "./heldOut";
export type { LaneMeasures, Measure, MeasuredPlace, MeasureGroup } from "./measures";
export { laneMeasuresCsv, MEASURE_GROUPS, MEASURES, ringDepth, measureLane } from "./measures";
export type { Sheet, SheetCell, SheetLane } from "./sheet";
export { sheetHtml } from "./sheet";
export type { ComparedLane } from "./unequal";
export { unequalThings } from "./unequal";
export type { BlindChoice, BlindCount, BlindPair, BlindRecord } from "./blind";
export { blindCounts, blindCsv, blindPairs, blindRecord, chosenOf, evenChance } from "./blind";
export { clippedShare } from "./measures/clipped";
