import { createWriteStream, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { once } from "node:events";
import { finished } from "node:stream/promises";
import * as z from "zod";
import { cfaPattern } from "@/core/formats";
import { createWasmKernels } from "@/core/kernels";
import { UserError } from "@/core/job";
import {
  createNight,
  createRawNight,
  createVideo,
  manifestOf,
  rawFile,
  rawManifest,
  subFile,
  subFileName,
  truthFile,
  videoFile,
} from "@/core/simulate";
import { checkOptions, parseArguments, sizeOption, yes } from "./arguments";
import { checkOutputs } from "./outputs";
import { createProgress } from "./progress";
import { KERNEL_PATH } from "./session";

const count = (fallback: number, most: number) => z.coerce.number().int().min(0).max(most).default(fallback);
const options = z.object({
  subs: z.coerce.number().int().min(1).max(2000).default(16),
  seed: z.coerce.number().int().min(0).max(1e6).default(1),
  size: sizeOption.optional(),
  out: z.string({ error: "a folder to write to is needed" }),
  raw: yes.default(false),
  video: yes.default(false),
  cfa: cfaPattern.optional(),
  darks: count(12, 500),
  flats: count(12, 500),
  bias: count(16, 500),
  darkflats: count(0, 500),
  "dark-temperature": z.coerce.number().min(-60).max(60).default(-6),
  frames: z.coerce.number().int().min(1).max(100_000).default(400),
});
type Options = z.infer<typeof options>;

/** simulate: a made-up night (calibrated subs, or raw frames), or a planetary video, with what the simulator knows. */
export async function simulate(args: string[]): Promise<unknown> {
  const given = checkOptions(options, parseArguments(args, Object.keys(options.shape), ["raw", "video"]).options);
  if (given.raw && given.video) throw new UserError("--raw and --video exclude each other", "Choose one of them.");
  if (given.cfa && !given.raw && !given.video)
    throw new UserError("--cfa is for raw frames and videos", "Add --raw or --video.");
  await checkOutputs([join(given.out, "manifest.json")], []);
  return given.video ? simulateVideo(given) : given.raw ? simulateRaw(given) : simulateCalibrated(given);
}

const kernelsHere = () => createWasmKernels(new Uint8Array(readFileSync(KERNEL_PATH())));

function simulateCalibrated({ subs, seed, size = { width: 900, height: 600 }, out }: Options): unknown {
  const kernels = kernelsHere();
  const night = createNight({ subs, seed, ...size });
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

function simulateRaw(given: Options): unknown {
  const { subs, darks, flats, bias, darkflats, seed, size = { width: 900, height: 600 }, cfa, out } = given;
  const kernels = kernelsHere();
  const darkTemperatureC = given["dark-temperature"];
  const night = createRawNight({
    subs,
    darks,
    flats,
    bias,
    darkflats,
    seed,
    darkTemperatureC,
    ...size,
    cfa: cfa ?? null,
  });
  const progress = createProgress("Exposing");
  for (const [i, file] of night.files.entries()) {
    writeFileSync(join(out, file.name), rawFile(night, file, kernels));
    progress((i + 1) / night.files.length);
  }
  writeFileSync(join(out, "manifest.json"), JSON.stringify(rawManifest(night), null, 1));
  return { folder: out, files: night.files.map(({ name }) => name), manifest: "manifest.json" };
}

async function simulateVideo({
  frames,
  seed,
  size = { width: 320, height: 280 },
  cfa,
  out,
}: Options): Promise<unknown> {
  const kernels = kernelsHere();
  const video = createVideo({ frames, seed, ...size, cfa: cfa ?? null });
  const progress = createProgress("Recording");
  const stream = createWriteStream(join(out, "oru.ser"));
  let done = 0;
  for (const part of videoFile(video, kernels)) {
    if (!stream.write(part)) await once(stream, "drain");
    progress(Math.min(1, done++ / frames));
  }
  stream.end();
  await finished(stream);
  writeFileSync(join(out, "manifest.json"), JSON.stringify({ ...video.settings, frames: video.conditions }, null, 1));
  return { folder: out, files: ["oru.ser"], manifest: "manifest.json", frames };
}
