export type {
  ChoiceField,
  Condition,
  Field,
  KeptKernel,
  KernelField,
  Parameters,
  Slider,
  TickField,
  ValuesOf,
} from "./parameters";
export {
  choice,
  differencesInWords,
  inSentence,
  inWords,
  isInEffect,
  keptKernel,
  kernel,
  parameters,
  schemaOf,
  slider,
  tick,
} from "./parameters";
