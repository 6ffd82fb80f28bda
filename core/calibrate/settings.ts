import { z } from "zod";
import { cfaPattern } from "../formats";
import { DEMOSAICS } from "./demosaic/registry";

/** The best in a dithered stack: see docs/methods.md for the comparison. */
export const DEFAULT_DEMOSAIC = "limited";

/** How lights are calibrated; which masters are used is told apart from it (apply.ts). Every field has a default. */
export const calibrationSettings = z.object({
  /** Multiply the dark (less its bias) by exposure of light / exposure of dark. Needs a bias. */
  scaleDark: z.boolean().default(false),
  /** Added after the flat, in ADU. */
  pedestalAdu: z.number().min(0).max(10_000).default(0),
  /** Hot and cold pixels beyond this many σ are replaced; 0 leaves them. */
  hotSigma: z.number().min(0).max(50).default(5),
  /** Where hot and cold pixels are looked for. */
  hotFrom: z.enum(["dark", "light", "both"]).default("both"),
  demosaic: z.enum(["none", ...DEMOSAICS.map(({ id }) => id)]).default(DEFAULT_DEMOSAIC),
  /** The pattern to use instead of the one in the cards; null for that. */
  pattern: cfaPattern.nullable().default(null),
  /** Software binning of n × n pixels. */
  bin: z.union([z.literal(1), z.literal(2), z.literal(3)]).default(1),
  binBy: z.enum(["sum", "mean"]).default("mean"),
});
export type CalibrationSettings = z.infer<typeof calibrationSettings>;
