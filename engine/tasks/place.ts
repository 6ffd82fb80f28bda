import type { ChainInput, ChainMemo, ReadyStep } from "@/core/chain";
import { onOwnGrid, regionAfter, sizeAfter } from "@/core/chain";
import type { Region } from "@/core/raster";
import type { FrameRef } from "../frames";
import type { Treatment } from "./crop";
import { memoOf, stepsOf } from "./crop";
import { inputOf } from "./input";
import type { TaskContext } from "./task";

/** A region of a treated stack, px of the stack. */
export interface Place {
  treatment: Treatment;
  region: Region;
}

/** A place as what is measured of a chain sees it. */
export interface OpenPlace {
  /** The stack, as the first steps leave it where they change the grid. */
  input: ChainInput;
  /** The other steps. */
  steps: ReadyStep[];
  /** The region in px of that. */
  area: Region;
  /** Memories of the picture, its halves, and its disturbed versions. */
  memos: Record<"picture" | "a" | "b" | "plus" | "minus", ChainMemo>;
}

export async function openPlace({ treatment, region }: Place, context: TaskContext): Promise<OpenPlace> {
  const stack = await inputOf(treatment, context);
  const { input, steps, leading } = onOwnGrid(stack, stepsOf(treatment, context), context.job);
  const { picture, halves } = treatment;
  const own = leading.length > 0 ? ` ${JSON.stringify(leading.map(({ key, step }) => [key, step.params]))}` : "";
  const memo = (of: FrameRef, kind = ""): ChainMemo => ({ ...memoOf(of, context), source: of.id + kind + own });
  return {
    input,
    steps,
    area: regionAfter(sizeAfter(leading, stack.picture), region),
    memos: {
      picture: memo(picture),
      a: memo(halves?.a ?? picture),
      b: memo(halves?.b ?? picture),
      plus: memo(picture, " disturbed"),
      minus: memo(picture, " disturbed the other way"),
    },
  };
}
