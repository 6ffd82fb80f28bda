import { supportMaps } from "../compare/evidence/support";
import type { SupportViews } from "../compare/evidence/views";
import type { JobHandle } from "../job";

/** Share of pairs in which a place with something planted stands higher than one without. */
export function areaUnderCurve(planted: readonly number[], plain: readonly number[]): number {
  let sum = 0;
  for (const p of planted) for (const q of plain) sum += p > q ? 1 : p === q ? 0.5 : 0;
  return sum / planted.length / plain.length;
}

const round = (r: number, width: number) => Math.exp(-(r * r) / (2 * width * width));
/** Structures that are planted in a lane or taken out of it: height by place, px from the middle. */
export const FORMS: [string, (x: number, y: number) => number][] = [
  ["point", (x, y) => round(Math.hypot(x, y), 1.3)],
  ["soft blob", (x, y) => round(Math.hypot(x, y), 4)],
  ["filament", (x, y) => (Math.abs(x) < 12 ? round(y, 1.5) : 0)],
  ["ring", (x, y) => round(Math.hypot(x, y) - 7, 1.3)],
];

/**
 * How far a structure reaches, how far apart they are planted, from where the noise at a place is
 * measured, and how far from it a map may be highest, px.
 */
const [REACH, APART, AROUND, NEAR] = [20, 32, 24, 3];
const HEIGHT_SIGMA = 6;

/** Answers of both maps at the places, where a form was planted and where not. */
export type Answers = { unsupported: number[]; lost: number[]; plainUnsupported: number[]; plainLost: number[] };

/**
 * Plants a form of 6 σ of the noise at its place every 32 px of the views, once in the lane alone and once in the stack alone, and asks the maps: at the places themselves, and for the highest within 3 px.
 */
export function answersOf(
  views: SupportViews,
  form: (x: number, y: number) => number,
  job: JobHandle,
): { itself: Answers; near: Answers } {
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
  const at = (reach: number): Answers => ({
    unsupported: highest(made.unsupported, reach),
    lost: highest(erased.lost, reach),
    plainUnsupported: highest(plain.unsupported, reach),
    plainLost: highest(plain.lost, reach),
  });
  return { itself: at(0), near: at(NEAR) };
}
