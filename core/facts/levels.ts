import * as z from "zod";
import type { Raster, RobustSpread } from "../raster";
import { medianInPlace, robustSpread } from "../raster";
import type { Fact } from "./fact";

/** Level and robust spread of the samples, by channel, and the level that becomes white: what a stretch is fitted to. */
export const levelsSchema = z.object({
  level: z.array(z.number()),
  sigma: z.array(z.number()),
  white: z.number().default(1),
});
export type LevelsFact = z.infer<typeof levelsSchema>;

/** Median and robust σ of a channel of a piece. */
export type Spread = Pick<RobustSpread, "centre" | "sigma">;

/** By channel of a piece. */
export const spreadsOf = ({ planes }: Raster): Spread[] => planes.map((plane) => robustSpread(plane));

/**
 * The median over pieces of their median and robust σ, by channel; `white` is the picture's full
 * scale in its samples. Pieces without data say nothing.
 */
export function levelsOver(pieces: readonly (readonly Spread[])[], white: number): LevelsFact {
  const over = (value: (spread: Spread) => number) =>
    pieces[0].map((_, c) => {
      const known = pieces.map((spreads) => value(spreads[c])).filter(Number.isFinite);
      return known.length > 0 ? medianInPlace(Float64Array.from(known)) : 0;
    });
  return { level: over(({ centre }) => centre), sigma: over(({ sigma }) => sigma), white };
}

export const levelsOf = (pieces: readonly Raster[], white: number): LevelsFact =>
  levelsOver(pieces.map(spreadsOf), white);

/** The levels of a picture. Half of a picture is stretched by the curve of the whole. */
export const levels: Fact<LevelsFact> = {
  id: "levels",
  title: "level and spread of the samples",
  schema: levelsSchema,
  measure: async (input) => levelsOf(await input.samples(), input.fullScale),
  noisier: (value) => value,
};
