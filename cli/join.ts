import * as z from "zod";
import { UserError } from "@/core/job";
import type { JoinInput } from "@/engine/jobs/join";
import { joinStacks } from "@/engine/jobs/join";
import { checkOptions, parseArguments } from "./arguments";
import { checkOutputs, writeWhole } from "./outputs";
import { halfPaths, halvesBeside } from "./picture";
import { createProgress } from "./progress";
import { checkInputs, fileRef, withPool } from "./session";

const weight = z.preprocess(
  (text) => (text === undefined ? text : Number(text)),
  z.number().positive().max(100).default(1),
);
const options = z.object({
  red: z.string({ error: "a stack for the red channel is needed" }),
  green: z.string({ error: "a stack for the green channel is needed" }),
  blue: z.string({ error: "a stack for the blue channel is needed" }),
  luminance: z.string().optional(),
  "red-weight": weight,
  "green-weight": weight,
  "blue-weight": weight,
  out: z.string({ error: "a file to write to is needed" }),
});

/** join: stacks of single filters into one of three channels, registered and balanced by their stars; halves where all have them beside them. */
export async function join(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, Object.keys(options.shape));
  if (files.length > 0)
    throw new UserError(
      `${files[0]}: to which channel does it go?`,
      "Write: join --red R.fits --green G.fits --blue B.fits.",
    );
  const { red, green, blue, luminance, out, ...weights } = checkOptions(options, given);
  const inputs = [red, green, blue, luminance].filter((path): path is string => path !== undefined);
  await checkInputs(inputs);
  const targets = [out, ...halfPaths(out)];
  await checkOutputs([out], [...inputs, ...inputs.flatMap(halfPaths)], halfPaths(out));
  return withPool(async (pool) => {
    const inputOf = async (path: string, own: number): Promise<JoinInput> => ({
      picture: await fileRef(path),
      halves: await halvesBeside(path),
      weight: own,
    });
    const joined = await joinStacks(
      pool,
      {
        red: await inputOf(red, weights["red-weight"]),
        green: await inputOf(green, weights["green-weight"]),
        blue: await inputOf(blue, weights["blue-weight"]),
        luminance: luminance === undefined ? null : await inputOf(luminance, 1),
      },
      { onProgress: createProgress("Joining") },
    );
    await writeWhole(out, joined.picture);
    if (joined.halves) {
      await writeWhole(targets[1], joined.halves.a);
      await writeWhole(targets[2], joined.halves.b);
    }
    const { width, height, parts, halves } = joined;
    return { out, width, height, halves: halves !== null, parts };
  });
}
