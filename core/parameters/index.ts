export type { ChoiceField, Condition, Field, Parameters, Slider, TickField, ValuesOf } from "./parameters";
export {
  choice,
  differencesInWords,
  inSentence,
  inWords,
  isInEffect,
  parameters,
  schemaOf,
  slider,
  tick,
} from "./parameters";
