export type {
  ChoiceField,
  Condition,
  Field,
  ImportedKernel,
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
  importedPsf,
  kernel,
  parameters,
  schemaOf,
  slider,
  tick,
} from "./parameters";
