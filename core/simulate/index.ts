export type { Night, NightSettings } from "./night";
export { createNight, manifestOf, nightSettings, subFile, subFileName, truthFile, truthRaster } from "./night";
export type { Camera, SubConditions } from "./camera";
export { SIMULATED_CAMERA, exposeNoiseless, exposeSub, planNight } from "./camera";
export type { Sky, SkyStar } from "./sky";
export { createSky } from "./sky";
