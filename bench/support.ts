// Maps of unsupported and of lost light against what was planted: structures of 6 σ of the noise at their place, put into the lane alone or into the data alone, on made-up skies.
// Usage: npm run -s bench -- support [seed …]; a table for docs/methods.md.
import { measureChain, newStep, readySteps } from "@/core/chain";
import { evidenceViews } from "@/core/compare/evidence";
import type { SupportViews } from "@/core/compare/evidence/views";
import { supportViews } from "@/core/compare/evidence/views";
import { supportMaps } from "@/core/compare/evidence/support";
import { findOperation } from "@/core/operations";
import { frameOfRaster } from "@/core/raster";
import { areaUnderCurve, FORMS } from "@/core/testing/planted";
import { job } from "./lib/truth";
import { skyNight } from "./lib/skyNight";

const PLACE = { x: 96, y: 96, width: 256, height: 256 };
const CHAINS = ["noise.mixture", "deconvolve.stars-apart", "deconvolve.richardson-lucy"];
/** How far a structure reaches, how far apart they are planted, from where the noise at a place is told, and how far from it a map may be highest, px. */
const [REACH, APART, AROUND, NEAR] = [20, 32, 24, 3];
const HEIGHT_SIGMA = 6;

type At = { unsupported: number[]; lost: number[]; plainUnsupported: number[]; plainLost: number[] };

/** Answers of both maps at the places, where a form was planted and where not: at the place itself, and the highest near it. */
function answers(views: SupportViews, form: (x: number, y: number) => number): { itself: At; near: At } {
  const { width, height, inside, noise, before, told } = views;
  const places: [number, number][] = [];
  for (let y = APART / 2; y < inside.height - APART / 3; y += APART)
    for (let x = APART / 2; x < inside.width - APART / 3; x += APART) places.push([inside.x + x, inside.y + y]);
  const planted = new Float32Array(width * height);
  const over = (px: number, py: number, act: (i: number, v: number) => void) => {
    for (let v = -REACH; v <= REACH; v++)
      for (let u = -REACH; u <= REACH; u++) {
        const [x, y] = [px + u, py + v];
        if (x >= 0 && y >= 0 && x < width && y < height) act(y * width + x, form(u, v));
      }
  };
  for (const [px, py] of places) {
    // σ of what a filter of that form answers to the noise about the place.
    let [squares, count, power] = [0, 0, 0];
    for (let v = -AROUND; v <= AROUND; v += 8)
      for (let u = -AROUND; u <= AROUND; u += 8) {
        let answer = 0;
        over(px + u, py + v, (i, value) => (answer += value * (noise?.[i] ?? 0)));
        squares += answer * answer;
        count++;
      }
    over(px, py, (_, value) => (power += value * value));
    const height = (HEIGHT_SIGMA * Math.sqrt(squares / count)) / power;
    over(px, py, (i, value) => (planted[i] += height * value));
  }
  const more = (plane: Float32Array) => plane.map((v, i) => v + planted[i]);
  const [plain, made, erased] = [views, { ...views, told: more(told) }, { ...views, before: more(before) }].map(
    (of) => {
      const maps = supportMaps(of, job);
      if (!maps) throw new Error("no maps");
      return maps;
    },
  );
  const highest = (map: Float32Array, reach: number) =>
    places.map(([x, y]) => {
      let most = 0;
      for (let v = -reach; v <= reach; v++)
        for (let u = -reach; u <= reach; u++) most = Math.max(most, map[(y + v) * width + x + u] ?? 0);
      return most;
    });
  const at = (reach: number): At => ({
    ...{ unsupported: highest(made.unsupported, reach), lost: highest(erased.lost, reach) },
    ...{ plainUnsupported: highest(plain.unsupported, reach), plainLost: highest(plain.lost, reach) },
  });
  return { itself: at(0), near: at(NEAR) };
}

const seeds = process.argv.length > 2 ? process.argv.slice(2).map(Number) : [3, 17, 29];
console.log(
  "| lane | runs | form | at the place: unsupported | lost | within 3 px: unsupported | lost |\n| --- | --- | --- | --- | --- | --- | --- |",
);
for (const id of CHAINS) {
  const found = new Map<string, { itself: At; near: At }[]>();
  for (const seed of seeds) {
    const { whole, halves } = skyNight(seed);
    const input = {
      picture: frameOfRaster(whole),
      halves: { a: frameOfRaster(halves.a), b: frameOfRaster(halves.b) },
      ...{ fill: [0, 0, 0], fullScale: 1 },
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
        found.set(key, [...(found.get(key) ?? []), answers(views, form)]);
      }
    }
  }
  for (const [key, all] of found) {
    const joined = (part: "itself" | "near", which: keyof At) => all.flatMap((one) => one[part][which]);
    const areas = (["itself", "near"] as const).flatMap((part) => [
      areaUnderCurve(joined(part, "unsupported"), joined(part, "plainUnsupported")),
      areaUnderCurve(joined(part, "lost"), joined(part, "plainLost")),
    ]);
    console.log(`| ${[id, ...key.split("|"), ...areas.map((v) => v.toFixed(3))].join(" | ")} |`);
  }
}
