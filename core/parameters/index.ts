export type { ChoiceField, Field, Parameters, Slider, TickField, ValuesOf } from "./parameters";
export { choice, differencesInWords, inSentence, inWords, parameters, schemaOf, slider, tick } from "./parameters";
