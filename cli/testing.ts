import { execFileSync, spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { bytesOfArray, openPicture, valueOf } from "@/core/formats";
import { wholeRegion } from "@/core/raster";

/** The runner as tests call it, bundled before they begin (scripts/jestSetup.mjs). */
const RUNNER = "dist/cli.mjs";
/** Tests run commands of a second or two: code that is optimised later, and kernels at once, take a third less time there. */
const FLAGS = ["--disable-warning=ExperimentalWarning", "--interrupt-budget=500000", "--no-liftoff"];

/** What a command prints on standard output; throws where it fails. */
export const dunkel = <T>(...args: string[]) =>
  JSON.parse(
    execFileSync(process.execPath, [...FLAGS, RUNNER, ...args], { stdio: ["ignore", "pipe", "ignore"] }).toString(),
  ) as T;

/** The end of a command that may fail: its status and what it says. */
export const endOf = (...args: string[]) =>
  spawnSync(process.execPath, [...FLAGS, RUNNER, ...args], { encoding: "utf8" });

/** A picture file and all pixels of its first frame. */
export async function readPicture(path: string) {
  const file = valueOf(await openPicture(bytesOfArray(path, new Uint8Array(readFileSync(path)))));
  return { file, raster: await file.frame(0).read(wholeRegion(file)) };
}
