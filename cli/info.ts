import { UserError } from "@/core/job";
import { parseArguments } from "./arguments";
import { checkInputs, withPool } from "./session";
import { openFiles } from "./files";

/** info: format, size, sample type, unit, full scale and saturation (and where each came from), metadata and pixel scale of files. */
export async function info(args: string[]): Promise<unknown> {
  const { files } = parseArguments(args, []);
  if (files.length === 0) throw new UserError("no files are given", "Write: info FILE….");
  await checkInputs(files);
  return withPool(async (pool) => {
    const { opened, failures } = await openFiles(pool, files);
    const told = [];
    for (const { path, frame, reading } of opened) {
      const { format, frames, width, height, channels, bitpix, randomAccess, metadata, pixelScale, cards, notes } =
        reading;
      const sample = bitpix < 0 ? `float${-bitpix}` : `int${bitpix}`;
      const isLight = frames === 1 && (metadata.frameType ?? "light") === "light";
      const unit = await pool.run("readUnit", { frame, look: isLight });
      told.push({
        file: path,
        format,
        frames,
        width,
        height,
        channels,
        sample,
        randomAccess,
        pixelScale,
        unit: unit.name,
        fullScale: unit.fullScale,
        saturation: unit.saturation,
        unitFrom: unit.from,
        metadata,
        cards: cards.length,
        notes,
      });
    }
    return { files: told, unreadable: failures };
  });
}
