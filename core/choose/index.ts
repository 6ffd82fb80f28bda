export { measuresCsv, rejectedCsv, rejectedList } from "./csv";
export type { GradedFrame, Measure, MeasureId } from "./measures";
export { FIRST_COLUMNS, MEASURES, MEASURE_IDS, measureOf } from "./measures";
export type { ReferenceProposal } from "./reference";
export { proposeReference } from "./reference";
export type { Decision, Flag, Rule, Verdict } from "./rules";
export {
  CLOUD_BELOW_PERCENT,
  FLAG_WORDS,
  RULE_MEASURES,
  applyRules,
  decision,
  firstRule,
  flagsOf,
  formatMeasure,
  rule,
  ruleSentence,
} from "./rules";
export type { LoneFrame } from "./weights";
export { gradeFrames, relativeWeights } from "./weights";
export type { FrameSet, SetKey } from "./sets";
export { SET_KEYS, fullLightOf, nightOf, setsOf, tellingKeys } from "./sets";
