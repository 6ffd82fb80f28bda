import type { FactKey } from "@/core/chain";
import { measureFacts } from "@/core/chain";
import type { FactValue } from "@/core/facts";
import { UserError } from "@/core/job";
import { psfFromShapes, psfFromStar, MOST_STAR_SIDE } from "@/core/operations";
import type { ImportedKernel } from "@/core/parameters";
import { wholeRegion } from "@/core/raster";
import type { FrameRef } from "../frames";
import type { Task } from "./task";

const SHAPE: FactKey = "psfShape@together";

/** The blur that a file shows: of the one star of a small picture, or of the stars of a large one. UserError where there is none. */
export const blurOfFile: Task<{ frame: FrameRef }, ImportedKernel> = {
  owned: async ({ frame }, { frames, job }) => {
    const picture = await frames.open(frame);
    if (Math.max(picture.width, picture.height) <= MOST_STAR_SIDE)
      return psfFromStar(await picture.read(wholeRegion(picture)), frame.name, job.kernels);
    const fill = new Array<number>(picture.channels).fill(0);
    const found = await measureFacts({ picture, halves: null, fill, fullScale: 1 }, [], [], 0, [SHAPE], job);
    const { channels } = found[SHAPE]?.[0] as FactValue<"psfShape">;
    const shapes = channels.flatMap((shape) => shape ?? []);
    if (shapes.length === 0)
      throw new UserError(
        `${frame.name}: too few clear, lone stars tell its blur`,
        `Choose a picture with more stars, or one of a single star, at most ${MOST_STAR_SIDE} px to a side.`,
      );
    return psfFromShapes(shapes, { scale: 1, turn: 0, isMirrored: false }, frame.name);
  },
};
