import { z } from "zod";
import type { Raster } from "../raster";
import { medianInPlace, robustSpread } from "../raster";
import type { Fact } from "./fact";

/** Level and robust spread of the samples, by channel, and the level that becomes white: what a stretch is fitted to. */
export const levelsSchema = z.object({
  level: z.array(z.number()),
  sigma: z.array(z.number()),
  white: z.number().default(1),
});
export type LevelsFact = z.infer<typeof levelsSchema>;

/** The median over pieces of their median and robust σ, by channel; `white` is the picture's full scale in its samples. Pieces without data tell nothing. */
export function levelsOf(pieces: Raster[], white: number): LevelsFact {
  const spreads = pieces.map((piece) => piece.planes.map((plane) => robustSpread(plane)));
  const over = (value: (piece: number, c: number) => number) =>
    pieces[0].planes.map((_, c) => {
      const known = spreads.map((_s, piece) => value(piece, c)).filter(Number.isFinite);
      return known.length > 0 ? medianInPlace(Float64Array.from(known)) : 0;
    });
  return {
    level: over((piece, c) => spreads[piece][c].centre),
    sigma: over((piece, c) => spreads[piece][c].sigma),
    white,
  };
}

/** The levels of a picture. Half of a picture is stretched by the curve of the whole. */
export const levels: Fact<LevelsFact> = {
  id: "levels",
  title: "level and spread of the samples",
  schema: levelsSchema,
  measure: async (look) => levelsOf(await look.samples(), look.fullScale),
  noisier: (value) => value,
};
