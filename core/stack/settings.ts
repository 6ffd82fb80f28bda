import { z } from "zod";

/** How a stack is made. Every field has a default that needs no change. */
export const stackSettings = z.object({
  /** Outliers: none are rejected, or those beyond low/high σ of the median, repeated. */
  reject: z.enum(["none", "sigma"]).default("sigma"),
  lowSigma: z.number().min(0.5).max(20).default(3),
  highSigma: z.number().min(0.5).max(20).default(3),
  /** Weight each sub by 1/σ² after scaling, by that and the width and shape of its stars, or all alike. */
  weights: z.enum(["shape", "noise", "equal"]).default("shape"),
  transform: z.enum(["similarity", "affine"]).default("similarity"),
  resampling: z.enum(["lanczos3", "bicubic"]).default("lanczos3"),
  /** Leave out subs whose FWHM is above this many times the median; 0 keeps all. */
  fwhmLimit: z.number().min(0).max(20).default(1.5),
  /** Use subs that show every star twice. */
  keepDoubles: z.boolean().default(false),
  /** Stack subs of different filters into one picture. */
  mixFilters: z.boolean().default(false),
  /** Reference sub by id; null for the best one. */
  referenceId: z.string().nullable().default(null),
  memoryMiB: z.number().min(64).max(65536).default(1024),
});
export type StackSettings = z.infer<typeof stackSettings>;
