import type { Arena, WasmModule } from "../arena";
import { openArena } from "../arena";
import type { PointStar, StarKernels, StarPlanes } from "./contract";
import { checkStars, DRAWN, DRAWN_LEAST, LEASH_PX, PRIOR_PX, SETTLED, SOFT_FROM, STEP_PX } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  starsDraw(...args: number[]): void;
  starsSolve(...args: number[]): void;
}

const drawn = [DRAWN, DRAWN_LEAST, SOFT_FROM];

/** Lays planes, stars and profiles out in the memory; `more` words beside them. */
function laidOut(arena: Arena, on: StarPlanes, stars: readonly PointStar[], more: readonly number[] = []) {
  const { planes, width, height, profiles, least } = on;
  const entries = profiles[0].powers.length;
  const each = 4 + planes.length;
  const at = {
    planes: arena.take(planes.length * width * height),
    stars: arena.take(2 * each * stars.length),
    profiles: arena.take(2 * planes.length * (7 + entries)),
    more: more.map((words) => arena.take(words)),
  };
  arena.ensure();
  planes.forEach((plane, c) => arena.writeFloats(at.planes + 4 * c * width * height, plane));
  arena.writeDoubles(at.stars, Float64Array.from(stars.flatMap(({ x, y, heights }) => [x, y, x, y, ...heights])));
  profiles.forEach(({ a, b, c, beta, scale, powers }, k) => {
    const flat = (a + c) / 2 - Math.sqrt(((a - c) / 2) ** 2 + b * b);
    const start = at.profiles + 8 * k * (7 + entries);
    arena.writeDoubles(start, Float64Array.of(a, b, c, beta, scale, flat, least[k]));
    arena.writeDoubles(start + 56, powers);
  });
  return { at, each, entries };
}

/** What became of the planes. */
function takeBack(arena: Arena, at: number, { planes, width, height }: StarPlanes): void {
  planes.forEach((plane, c) => plane.set(arena.floats(at + 4 * c * width * height, width * height)));
}

export function starsWasm(module: WasmModule): StarKernels {
  const wasm = module as Exports;
  return {
    drawStars(on, stars, times) {
      checkStars(on, stars);
      if (stars.length === 0) return;
      const arena = openArena(wasm);
      const { at, entries } = laidOut(arena, on, stars);
      const where = [at.planes, on.width, on.height, on.planes.length];
      wasm.starsDraw(...where, at.stars, stars.length, at.profiles, entries, times, ...drawn);
      takeBack(arena, at.planes, on);
    },
    solveStars(residual, stars, { sigmas, rounds, leashPx = LEASH_PX }) {
      checkStars(residual, stars, sigmas);
      if (stars.length === 0) return [];
      const { planes, width, height } = residual;
      const arena = openArena(wasm);
      const words = [planes.length * width * height, 8 * planes.length];
      const { at, each, entries } = laidOut(arena, residual, stars, words);
      const [noise, room] = at.more;
      sigmas.forEach((sigma, c) => arena.writeFloats(noise + 4 * c * width * height, sigma));
      const where = [at.planes, noise, width, height, planes.length, at.stars, stars.length, at.profiles, entries];
      wasm.starsSolve(...where, rounds, leashPx, STEP_PX, 1 / PRIOR_PX ** 2, room, SETTLED, ...drawn);
      takeBack(arena, at.planes, residual);
      const solved = arena.doubles(at.stars, each * stars.length);
      return stars
        .map((star, n) => {
          const [x, y, , , ...heights] = solved.subarray(n * each, (n + 1) * each);
          return { ...star, x, y, heights };
        })
        .filter(({ heights }) => heights.some((h) => h > 0));
    },
  };
}
