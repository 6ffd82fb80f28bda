import type { ChainInput } from "@/core/chain";
import type { Treatment } from "./crop";
import type { TaskContext } from "./task";

/** The stack of a treatment as a chain sees it: its frames opened. */
export async function inputOf(
  { picture, halves, fill, fullScale }: Pick<Treatment, "picture" | "halves" | "fill" | "fullScale">,
  { frames }: TaskContext,
): Promise<ChainInput> {
  return {
    picture: await frames.open(picture),
    halves: halves && { a: await frames.open(halves.a), b: await frames.open(halves.b) },
    fill,
    fullScale,
  };
}
