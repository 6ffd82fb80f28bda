export type { ChoiceField, Field, Parameters, Slider, TickField, ValuesOf } from "./parameters";
export { choice, differencesInWords, inWords, parameters, slider, tick } from "./parameters";
