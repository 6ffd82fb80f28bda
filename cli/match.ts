import { inspectStack } from "@/engine/jobs/inspect";
import { UserError } from "@/core/job";
import { describeWarp, mapPoint, matchStars, matrixAt } from "@/core/register";
import { parseArguments } from "./arguments";
import { checkInputs, fileRef, withPool } from "./session";

/** match: where the pixels of one picture lie in another, by the stars that they share: any turn, scales from a quarter to four, mirror images. */
export async function match(args: string[]): Promise<unknown> {
  const { files } = parseArguments(args, []);
  if (files.length !== 2) throw new UserError("two pictures are needed", "Write: match A.fits B.fits.");
  await checkInputs(files);
  return withPool(async (pool) => {
    const [a, b] = await Promise.all(
      files.map(async (file) => inspectStack(pool, { picture: await fileRef(file), halves: null })),
    );
    const found = matchStars(a.starList, b.starList, { model: "auto" });
    if (!found.ok)
      throw new UserError(
        `${files[0]} and ${files[1]}: ${found.reason.detail}`,
        "Choose pictures of the same field, with stars in common.",
      );
    const { warp, pairs, residualPx } = found.value;
    const middle: [number, number] = [a.width / 2, a.height / 2];
    return {
      from: files[0],
      to: files[1],
      warp,
      // Near the middle of the picture, as a 2 × 3 matrix from pixels of the one to those of the other.
      matrix: matrixAt(warp, ...middle),
      middle: mapPoint(warp, ...middle),
      ...describeWarp(warp, ...middle),
      pairs: pairs.length,
      residualPx,
    };
  });
}
