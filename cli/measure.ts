import { inspectStack } from "@/engine/jobs/inspect";
import * as z from "zod";
import { SNR_DEFINITION } from "@/core/measure";
import { toSample } from "@/core/formats";
import { UserError } from "@/core/job";
import { checkOptions, parseArguments, regionOf, regionOption } from "./arguments";
import { halvesBeside } from "./picture";
import { checkInputs, fileRef, withPool } from "./session";

/** measure: figures of a picture or of a region of it; noise from the halves where they lie beside it. */
export async function measure(args: string[]): Promise<unknown> {
  const { files, options } = parseArguments(args, ["region"]);
  if (files.length !== 1)
    throw new UserError("one FITS file is needed", "Write: measure FILE.fits [--region x,y,w,h].");
  const { region } = checkOptions(z.object({ region: regionOption.optional() }), options);
  await checkInputs(files);
  return withPool(async (pool) => {
    const picture = await fileRef(files[0]);
    const halves = await halvesBeside(files[0]);
    const facts = await inspectStack(pool, { picture, halves });
    const area = regionOf(region, facts);
    const { fill, unit } = facts;
    const treatment = { picture, halves, fill, fullScale: toSample(unit, unit.fullScale), steps: [], facts: [] };
    const measures = await pool.run("measureCrop", { treatment, region: area, skyLevel: facts.skyLevel });
    return {
      file: files[0],
      width: facts.width,
      height: facts.height,
      channels: facts.channels,
      region: area,
      ...measures,
      snrDefinition: SNR_DEFINITION,
      skyLevel: facts.skyLevel,
    };
  });
}
