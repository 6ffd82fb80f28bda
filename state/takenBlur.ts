import type { FactKey } from "@/core/chain";
import type { FactValue } from "@/core/facts";
import { UserError } from "@/core/job";
import { psfFromShapes } from "@/core/operations";
import type { ImportedKernel } from "@/core/parameters";
import { compose, describeWarp, inverse } from "@/core/register";
import { blobRef } from "@/engine/jobs/render";
import { PRIORITY } from "@/engine/pool";
import type { Lane } from "@/storage";
import type { ProjectSession } from "./project";
import { projectToStack } from "./stackFrames";

type Session = Pick<ProjectSession, "store" | "stacks" | "pool">;

/** The blur that a chosen file shows; rejects with UserError where it shows none. */
export const blurOfChosen = ({ pool }: Session, file: File): Promise<ImportedKernel> =>
  pool.run("blurOfFile", { frame: blobRef(crypto.randomUUID(), file.name, file) }, { priority: PRIORITY.measure });

const SHAPE: FactKey = "psfShape@together";

/** The blur of the stars of another lane's stack, untouched, as they would look on the pixels of this lane's. Rejects with UserError where they do not tell it, or the stacks are not tied. */
export async function blurOfLane({ store, stacks, pool }: Session, from: Lane, to: Lane): Promise<ImportedKernel> {
  const all = store.getState().stacks;
  const [there, here] = [from, to].map(({ stackId }) => all.find(({ id }) => id === stackId));
  const [toThere, toHere] = [there, here].map((stack) => stack && projectToStack(all[0], stack));
  if (!there || !toThere || !toHere)
    throw new UserError(
      `the stacks of lanes ${from.letter} and ${to.letter} are not tied by their stars`,
      "Take the blur from a file, or type it.",
    );
  const subject = await stacks.subjectOf(there);
  const payload = { treatment: { ...subject, steps: [], facts: [] }, index: 0, keys: [SHAPE] };
  const found = await pool.run("measureFacts", payload, { priority: PRIORITY.measure });
  const { channels } = found[SHAPE]?.[0] as FactValue<"psfShape">;
  const shapes = channels.flatMap((shape) => shape ?? []);
  if (shapes.length === 0)
    throw new UserError(
      `too few clear, lone stars tell the blur of lane ${from.letter}’s stack`,
      "Take it from another lane, from a file, or type it.",
    );
  const warp = compose(toHere, inverse(toThere));
  const { scale, rotationDeg, isMirrored } = describeWarp(warp, there.facts.width / 2, there.facts.height / 2);
  return psfFromShapes(
    shapes,
    { scale, turn: (rotationDeg * Math.PI) / 180, isMirrored },
    `the stars of ${there.name}`,
  );
}
