export type { ChoiceField } from "./kinds/choice";
export { choice } from "./kinds/choice";
export type { Condition } from "./kinds/kind";
export type { ChosenPatches, PatchesField } from "./kinds/patches";
export { MOST_PATCHES, patchesField, placedPatches } from "./kinds/patches";
export type { PointsField } from "./kinds/points";
export { pointsField } from "./kinds/points";
export type { ImportedKernel, PsfField } from "./kinds/psf";
export { importedPsf, psfField } from "./kinds/psf";
export type { Field } from "./kinds/registry";
export { kindOf } from "./kinds/registry";
export type { Slider } from "./kinds/slider";
export { slider } from "./kinds/slider";
export type { Places, StarsField } from "./kinds/stars";
export { MOST_DROPPED, starsField } from "./kinds/stars";
export type { ToggleField } from "./kinds/toggle";
export { toggle } from "./kinds/toggle";
export type { Parameters, ValuesOf } from "./parameters";
export {
  differencesInWords,
  directValues,
  followedBy,
  inSentence,
  inWords,
  isInEffect,
  parameters,
  placedValues,
  schemaOf,
} from "./parameters";
