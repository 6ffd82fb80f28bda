import * as z from "zod";
import { cfaPattern } from "../formats";
import { choice, parameters, slider, toggle } from "../parameters";
import { DEMOSAICS } from "./demosaic/registry";

/** The best in a dithered stack: see docs/methods/ for the comparison. */
export const DEFAULT_DEMOSAIC = "limited";

/** How lights are calibrated; which masters are used is apart from it (apply.ts). */
export const calibrationParameters = parameters({
  scaleDark: toggle({
    label: "Scale darks by exposure",
    hint: "Multiplies dark current by the ratio of exposures; needs a bias",
    default: false,
    option: "scale-dark",
  }),
  hotSigma: slider({
    label: "Hot pixels",
    hint: "Hot and cold pixels beyond this many σ are replaced; 0 leaves them",
    unit: "σ",
    min: 0,
    max: 50,
    step: 0.5,
    default: 5,
    option: "hot",
  }),
  hotFrom: choice({
    label: "Hot pixels found in",
    hint: "The dark knows them best; the light alone finds those that no dark shows, and takes warm columns off where there is no dark",
    options: [
      { value: "both", label: "the dark and the light" },
      { value: "dark", label: "the dark" },
      { value: "light", label: "the light alone" },
    ],
    default: "both",
    option: "hot-from",
  }),
  demosaic: choice({
    label: "Demosaic",
    hint: DEMOSAICS.map(({ title, help }) => `${title}: ${help}`).join("\n"),
    options: [
      ...DEMOSAICS.map(({ id, title }) => ({ value: id, label: title })),
      { value: "none", label: "not at all (grey mosaic)" },
    ],
    default: DEFAULT_DEMOSAIC,
    option: "demosaic",
  }),
  bin: slider({
    label: "Binning",
    hint: "Software binning: n × n pixels become one, the pixel scale follows",
    min: 1,
    max: 3,
    step: 1,
    default: 1,
    option: "bin",
  }),
  binBy: choice({
    label: "Binning by",
    hint: "The sum keeps electrons, the mean keeps the level",
    options: [
      { value: "mean", label: "mean" },
      { value: "sum", label: "sum" },
    ],
    default: "mean",
    option: "bin-by",
  }),
  pedestalAdu: slider({
    label: "Pedestal",
    hint: "Added after the flat, so that integers hold what falls below 0",
    unit: "ADU",
    min: 0,
    max: 10_000,
    step: 1,
    default: 0,
    option: "pedestal",
  }),
});

export const calibrationSettings = calibrationParameters.schema.and(
  z.object({
    /** The pattern to use instead of the one in the cards; null for that. */
    pattern: cfaPattern.nullable().default(null),
  }),
);
export type CalibrationSettings = z.infer<typeof calibrationSettings>;
