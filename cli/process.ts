import * as z from "zod";
import { idleReason, misplacement, stateAfter } from "@/core/chain";
import { toSample } from "@/core/formats";
import { UserError } from "@/core/job";
import { findOperation, untouchedState } from "@/core/operations";
import { inspectStack } from "@/engine/jobs/inspect";
import { prepareTreatment, renderPicture } from "@/engine/jobs/render";
import { checkOptions, parseArguments, regionOf, regionOption } from "./arguments";
import { readChain } from "./chains";
import { halfPaths, halvesBeside } from "./picture";
import { createProgress } from "./progress";
import { checkOutputs, writeWhole } from "./outputs";
import { checkInputs, fileRef, withPool } from "./session";

const options = z.object({
  chain: z.string({ error: "a chain file is needed" }),
  out: z.string({ error: "a file to write to is needed" }),
  region: regionOption.optional(),
});

/** process: runs a chain over a picture, or over a region of it with the same pixels. */
export async function processPicture(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, ["chain", "out", "region"]);
  if (files.length !== 1)
    throw new UserError("one FITS file is needed", "Write: process FILE.fits --chain chain.json --out out.fits.");
  const { chain: chainPath, out, region } = checkOptions(options, given);
  const chain = readChain(chainPath);
  await checkInputs(files);
  await checkOutputs([out], [...files, chainPath, ...halfPaths(files[0])]);
  return withPool(async (pool) => {
    const picture = await fileRef(files[0]);
    const halves = await halvesBeside(files[0]);
    const facts = await inspectStack(pool, { picture, halves });
    const { steps, name } = chain;
    const treatment = await prepareTreatment(pool, {
      picture,
      halves,
      fill: facts.fill,
      fullScale: toSample(facts.unit, facts.unit.fullScale),
      steps,
    });
    const notes = steps.flatMap((step, k) => {
      const idle = idleReason(step, pool.valuesOf(treatment.facts[k]));
      const reason = idle ?? (step.on ? misplacement(steps, k) : null);
      return reason ? [`step ${k + 1}, ${findOperation(step.operation)?.words.title}: ${reason}`] : [];
    });
    const started = Date.now();
    const result = stateAfter(steps, untouchedState(facts));
    const area = regionOf(region, result);
    const wanted = { treatment, result, region: area, title: name || chainPath };
    await writeWhole(out, await renderPicture(pool, wanted, { onProgress: createProgress("Rendering") }));
    return {
      out,
      width: area.width,
      height: area.height,
      steps,
      notes,
      facts: treatment.facts.map((ids) => pool.valuesOf(ids)),
      seconds: (Date.now() - started) / 1000,
    };
  });
}
