import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { z } from "zod";
import { createWasmKernels } from "@/core/kernels";
import { createNight, manifestOf, subFile, subFileName, truthFile } from "@/core/simulate";
import { checkOptions, parseArguments, sizeOption } from "./arguments";
import { createProgress } from "./progress";
import { KERNEL_PATH } from "./session";

const options = z.object({
  subs: z.coerce.number().int().min(1).max(2000).default(16),
  seed: z.coerce.number().int().min(0).max(1e6).default(1),
  size: sizeOption.default({ width: 900, height: 600 }),
  out: z.string({ error: "a folder to write to is needed" }),
});

/** simulate: writes subs, truth.fits and manifest.json of a made-up night into a folder. */
export async function simulate(args: string[]): Promise<unknown> {
  const { subs, seed, size, out } = checkOptions(
    options,
    parseArguments(args, ["subs", "seed", "size", "out"]).options,
  );
  const kernels = createWasmKernels(new Uint8Array(readFileSync(KERNEL_PATH())));
  const night = createNight({ subs, seed, ...size });
  mkdirSync(out, { recursive: true });
  const progress = createProgress("Exposing");
  const files = night.subs.map(({ index }) => {
    const name = subFileName(index);
    writeFileSync(join(out, name), subFile(night, index, kernels));
    progress((index + 1) / subs);
    return name;
  });
  writeFileSync(join(out, "truth.fits"), truthFile(night, kernels));
  writeFileSync(join(out, "manifest.json"), JSON.stringify(manifestOf(night), null, 1));
  return { folder: out, files, truth: "truth.fits", manifest: "manifest.json" };
}
