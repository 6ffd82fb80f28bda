import { extname } from "node:path";
import * as z from "zod";
import type { FormatId } from "@/core/formats";
import { FORMATS } from "@/core/formats";
import { UserError } from "@/core/job";
import { checkOptions, parseArguments } from "./arguments";
import { checkOutputs, writeWhole } from "./outputs";
import { checkInputs, fileRef, withPool } from "./session";

const options = z.object({
  out: z.string({ error: "a file to write to is needed" }),
  sample: z.enum(["uint16", "float32"]).optional(),
  frame: z.coerce.number().int().min(0).default(0),
});

/** Which format is meant by the ending of a file's name. */
const BY_ENDING = new Map(
  FORMATS.flatMap(({ id, writer }) => (writer?.endings ?? []).map((ending) => [ending, id as FormatId] as const)),
);

/** convert: a picture (or one frame of a video) in another of the written formats. */
export async function convert(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, ["out", "sample", "frame"]);
  if (files.length !== 1) throw new UserError("one file is needed", "Write: convert FILE --out FILE2.");
  const { out, sample, frame: index } = checkOptions(options, given);
  const to = BY_ENDING.get(extname(out).toLowerCase());
  if (!to)
    throw new UserError(`${out}: no format is written with this ending`, `Choose ${[...BY_ENDING.keys()].join(", ")}.`);
  await checkInputs(files);
  await checkOutputs([out], files);
  return withPool(async (pool) => {
    const frame = { ...(await fileRef(files[0])), frame: index };
    const { file, ...made } = await pool.run("convert", { frame, to, sample });
    await writeWhole(out, file);
    return { file: files[0], out, format: to, bytes: file.length, ...made };
  });
}
