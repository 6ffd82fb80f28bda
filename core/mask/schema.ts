import * as z from "zod";
import { findMaskKind } from "./registry";

/** Parts of a mask, and corners of an outline, at most. */
export const [MOST_PARTS, MOST_CORNERS] = [20, 2000];

/** How a part goes with those before it: both, either, or those before without it. */
export const COMBINATIONS = ["and", "or", "minus"] as const;

export const maskPart = z
  .object({
    kind: z.string(),
    how: z.enum(COMBINATIONS).default("and"),
    inverted: z.boolean().default(false),
    params: z.record(z.string(), z.unknown()).default({}),
    /** Corners of what was drawn, in px of the picture; of an ellipse the centre and the ends of two half-diameters. */
    outline: z
      .array(z.tuple([z.number(), z.number()]))
      .max(MOST_CORNERS)
      .default([]),
  })
  .transform((part, context) => {
    const kind = findMaskKind(part.kind);
    if (!kind) {
      context.addIssue({ code: "custom", path: ["kind"], message: `unknown kind of mask “${part.kind}”` });
      return z.NEVER;
    }
    const params = kind.parameters.schema.safeParse(part.params);
    if (params.success) return { ...part, params: params.data as Record<string, unknown> };
    for (const issue of params.error.issues) context.addIssue({ ...issue, path: ["params", ...issue.path] } as never);
    return z.NEVER;
  });
export type MaskPart = z.infer<typeof maskPart>;

/**
 * Which part of a picture a step acts on, and how much of it: measured from the untouched picture,
 * so that it is the same for every step and lane.
 */
export const mask = z.object({
  id: z.string().min(1),
  name: z.string().min(1).max(60),
  parts: z.array(maskPart).max(MOST_PARTS),
  /** σ of the blur after all parts are put together. */
  blurPx: z.number().min(0).max(64).default(0),
  inverted: z.boolean().default(false),
});
export type Mask = z.infer<typeof mask>;
