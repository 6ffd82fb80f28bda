// Maps of unsupported and of lost light against what was planted: structures of 6 σ of the noise at their place, put into the lane alone or into the data alone, on made-up skies.
// Usage: npm run -s bench -- support [seed …]; a table for docs/methods/.
import { measureChain, newStep, readySteps } from "@/core/chain";
import { evidenceViews } from "@/core/compare/evidence";
import { supportViews } from "@/core/compare/evidence/views";
import { findOperation } from "@/core/operations";
import { frameOfRaster } from "@/core/raster";
import type { Answers } from "@/core/testing/planted";
import { answersOf, areaUnderCurve, FORMS } from "@/core/testing/planted";
import { job } from "./lib/truth";
import { skyNight } from "./lib/skyNight";

const PLACE = { x: 96, y: 96, width: 256, height: 256 };
const CHAINS = ["noise.mixture", "deconvolve.stars-apart", "deconvolve.richardson-lucy"];
const seeds = process.argv.length > 2 ? process.argv.slice(2).map(Number) : [3, 17, 29];
console.log(
  "| lane | runs | form | at the place: unsupported | lost | within 3 px: unsupported | lost |\n| --- | --- | --- | --- | --- | --- | --- |",
);
for (const id of CHAINS) {
  const found = new Map<string, { itself: Answers; near: Answers }[]>();
  for (const seed of seeds) {
    const { whole, halves } = skyNight(seed);
    const input = {
      picture: frameOfRaster(whole),
      halves: { a: frameOfRaster(halves.a), b: frameOfRaster(halves.b) },
      fill: [0, 0, 0],
      fullScale: 1,
    };
    const operation = findOperation(id);
    if (!operation) throw new Error(id);
    const steps = [newStep(operation)];
    const ready = readySteps(steps, await measureChain(input, steps, job));
    for (const [runs, viewsOf] of [
      ["first two", supportViews],
      ["all", evidenceViews],
    ] as const) {
      const views = await viewsOf(input, ready, PLACE, job);
      if (!views) throw new Error("no views");
      for (const [name, form] of FORMS) {
        const key = `${runs}|${name}`;
        found.set(key, [...(found.get(key) ?? []), answersOf(views, form, job)]);
      }
    }
  }
  for (const [key, all] of found) {
    const joined = (part: "itself" | "near", which: keyof Answers) => all.flatMap((one) => one[part][which]);
    const areas = (["itself", "near"] as const).flatMap((part) => [
      areaUnderCurve(joined(part, "unsupported"), joined(part, "plainUnsupported")),
      areaUnderCurve(joined(part, "lost"), joined(part, "plainLost")),
    ]);
    console.log(`| ${[id, ...key.split("|"), ...areas.map((v) => v.toFixed(3))].join(" | ")} |`);
  }
}
