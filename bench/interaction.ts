// Time of 12 crops of 256 × 256 px (4 lanes × 3 spots) in one worker's code, without the browser around it:
// npm run -s bench -- interaction STACK.fits
import { readFileSync } from "node:fs";
import { measureChain, newStep } from "@/core/chain";
import { findOperation } from "@/core/operations";
import type { Raster } from "@/core/raster";
import { rasterBytes } from "@/core/raster";
import { byteCache } from "@/engine/cache";
import { FactValues } from "@/engine/facts";
import { bytesOfBlob, createFrameStore } from "@/engine/frames";
import { crop } from "@/engine/tasks/crop";
import { runTask } from "@/engine/tasks/task";
import { job } from "./lib/truth";

const path = process.argv[2];
const blobAt = (name: string) => new Blob([readFileSync(name)]);
const frames = createFrameStore(
  (ref) =>
    ref.kind === "blob" ? Promise.resolve(bytesOfBlob(ref.name, ref.blob)) : Promise.reject(new Error("blobs only")),
  job.kernels,
);
const picture = { id: "p", name: path, kind: "blob" as const, blob: blobAt(path) };
const source = await frames.open(picture);
const spots = [
  [0.3, 0.35],
  [0.6, 0.5],
  [0.45, 0.6],
].map(([x, y]) => ({
  x: Math.round(source.width * x) - 128,
  y: Math.round(source.height * y) - 128,
  width: 256,
  height: 256,
}));
const fill = [0.011, 0.011, 0.011];

for (const [id, field, values] of [
  ["noise.starlet", "strength", [0.2, 0.4, 0.6, 0.8]],
  ["deconvolve.richardson-lucy", "iterations", [30, 30.0001, 30.0002, 30.0003].map(Math.round)],
] as const) {
  const operation = findOperation(id);
  if (!operation) throw new RangeError(id);
  for (let round = 0; round < 4; round++) {
    const cache = byteCache<Raster>(384 * 2 ** 20, rasterBytes);
    const started = performance.now();
    const base = newStep(operation);
    const [measured] = await measureChain({ picture: source, halves: null, fill, fullScale: 1 }, [base], job);
    const ids = Object.fromEntries(Object.keys(measured).map((key) => [key, key]));
    const facts = new FactValues();
    for (const [key, value] of Object.entries(measured)) facts.keep(key, value ?? []);
    const prepared = performance.now();
    for (const region of spots)
      for (const [k, value] of values.entries()) {
        const steps = [{ ...base, params: { ...base.params, [field]: value }, blend: 1 - k * 1e-9 }];
        await runTask(
          crop,
          { treatment: { picture, halves: null, fill, fullScale: 1, steps, facts: [ids] }, region, reduce: 1 },
          { job, frames, facts, cache },
        );
      }
    const ms = performance.now() - prepared;
    process.stdout.write(
      `${id}: 12 crops of 256² in ${ms.toFixed(0)} ms (whole-picture facts ${(prepared - started).toFixed(0)} ms)\n`,
    );
  }
}
