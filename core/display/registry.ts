import * as z from "zod";
import type { LevelsFact } from "../facts";
import { arcsinh } from "./arcsinh";
import type { ChannelCurve, DisplayCurve } from "./curve";
import { straight } from "./straight";

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- the registry holds curves of different parameters
type AnyCurve = DisplayCurve<any>;

/** Every way of showing a linear picture. A new one is one line here. */
export const DISPLAY_CURVES: readonly AnyCurve[] = [arcsinh, straight];

/** The curve of an id. Throws RangeError for an unknown one. */
export function displayCurve(id: string): AnyCurve {
  const found = DISPLAY_CURVES.find((curve) => curve.id === id);
  if (!found) throw new RangeError(`unknown display curve “${id}”`);
  return found;
}

/** How linear pictures are shown: a curve with its settings; missing ones take their defaults. */
export const display = z
  .object({
    curve: z.enum(DISPLAY_CURVES.map(({ id }) => id) as [string, ...string[]]),
    params: z.record(z.string(), z.unknown()).default({}),
  })
  .transform((given, context) => {
    const params = displayCurve(given.curve).parameters.schema.safeParse(given.params);
    if (params.success) return { ...given, params: params.data as Record<string, unknown> };
    for (const issue of params.error.issues) context.addIssue({ ...issue, path: ["params", ...issue.path] } as never);
    return z.NEVER;
  });
export type Display = z.infer<typeof display>;

export const DEFAULT_DISPLAY: Display = { curve: arcsinh.id, params: { ...arcsinh.parameters.defaults } };

/** A display with other settings. */
export const withParams = (of: Display, part: Record<string, unknown>): Display => ({
  ...of,
  params: { ...of.params, ...part },
});

/** What a linear picture is shown by: a display, and the levels of the picture or of another that it is tied to. */
export interface ShownBy {
  display: Display;
  levels: LevelsFact;
}

/** A curve for each channel. */
export const curvesOf = ({ display: { curve, params }, levels }: ShownBy): ChannelCurve[] =>
  displayCurve(curve).channels(params, levels);

export const displayWords = ({ curve, params }: Display): string => displayCurve(curve).words(params);
