export type { Fact, PictureLook } from "./fact";
export type { LevelsFact } from "./levels";
export { levelsOf, levelsSchema } from "./levels";
export type { NoiseFact } from "./noise";
export { NOISE_SCALES } from "./noise";
export type { PsfFact } from "./psf";
export type { FactId, FactValue, Facts } from "./registry";
export { FACTS, factOf } from "./registry";
export type { SkyFact } from "./sky";
