import { UserError } from "@/core/job";
import { parseArguments } from "./arguments";
import { withPool } from "./session";
import { openFiles } from "./subs";

/** info: format, size, sample type, metadata and pixel scale of files. */
export async function info(args: string[]): Promise<unknown> {
  const { files } = parseArguments(args, []);
  if (files.length === 0) throw new UserError("no files are given", "Write: info FILE….");
  return withPool(async (pool) => {
    const { opened, failures } = await openFiles(pool, files);
    return {
      files: opened.map(({ path, reading }) => {
        const { format, frames, width, height, channels, bitpix, randomAccess, metadata, pixelScale, cards } = reading;
        const sample = bitpix < 0 ? `float${-bitpix}` : `int${bitpix}`;
        return {
          file: path,
          format,
          frames,
          width,
          height,
          channels,
          sample,
          randomAccess,
          pixelScale,
          metadata,
          cards: cards.length,
        };
      }),
      unreadable: failures,
    };
  });
}
