import type { Kernels } from "../kernels";
import type { FrameSource, Raster } from "../raster";
import { smoothstep } from "../numeric/smoothstep";
import { clippedMean } from "../raster";
import { sampleSub, trailMask } from "./integrate";
import type { LevelMesh } from "./localLevels";
import type { PlannedSub, StackPlan } from "./plan";
import type { StackSettings } from "./settings";
import { starlightAt } from "./starlight";

/** Rows of a patch that are looked at: with the patch's width more than enough to know its level to a few hundredths of σ. */
const SAMPLED_ROWS = 96;
/** Share of a patch that must be covered for its level to count. */
const LEAST_SHARE = 0.25;
/**
 * A sky is uneven where the levels of its patches scatter, as far as neighbours share it, by so much of the noise of a pixel: from …
 * wholly. Noise and what stars and gas leave is each patch's own: of even skies levels scatter by .01 … .09 in all.
 */
const UNEVEN = [0.04, 0.08] as const;

export function levelMesh({ width, height }: Pick<StackPlan, "width" | "height">, settings: StackSettings): LevelMesh {
  const step = settings.patchPx;
  return { step, columns: Math.max(1, Math.ceil(width / step)), rows: Math.max(1, Math.ceil(height / step)) };
}

/**
 * How far each sub lies above the median of all in the patches of one row of the mesh, by sub, channel and column: the mean of the differences, pixel
 * by pixel, clipped at 3 σ. Stars and gas are in both and cancel; what is in one sub alone and
 * small is clipped, and pixels on its trails are
 * left out. NaN where too little is covered.
 * `sources` are in the order of `plan.used`.
 */
export async function levelsInRow(
  sources: readonly FrameSource[],
  plan: StackPlan,
  settings: StackSettings,
  row: number,
  kernels: Kernels,
): Promise<number[][][]> {
  const mesh = levelMesh(plan, settings);
  const { width, channels, used } = plan;
  const [top, bottom] = [row * mesh.step, Math.min(plan.height, (row + 1) * mesh.step)];
  const rows = Math.min(SAMPLED_ROWS, bottom - top);
  const region = { x: 0, y: top + ((bottom - top - rows) >> 1), width, height: rows };
  const samples: Raster[] = [];
  for (const [i, sub] of used.entries())
    samples.push(await sampleSub(sources[i], sub, region, settings.resampling, kernels));
  const pixels = width * rows;
  const onTrails = used.map((sub) => trailMask(sub, region));
  const levels = used.map(() => Array.from({ length: channels }, () => new Array<number>(mesh.columns).fill(NaN)));
  for (let c = 0; c < channels; c++) {
    const cube = new Float32Array(used.length * pixels);
    samples.forEach((raster, i) => cube.set(raster.planes[c], i * pixels));
    const { median } = kernels.centres(cube, used.length, pixels);
    const differences = new Float32Array(mesh.step * rows);
    for (let i = 0; i < used.length; i++)
      for (let column = 0; column < mesh.columns; column++) {
        const [x0, x1] = [column * mesh.step, Math.min(width, (column + 1) * mesh.step)];
        let n = 0;
        for (let y = 0; y < rows; y++)
          for (let x = x0, p = y * width + x0; x < x1; x++, p++) {
            const d = cube[i * pixels + p] - median[p];
            if (d === d && onTrails[i]?.[p] !== 1) differences[n++] = d;
          }
        if (n >= LEAST_SHARE * (x1 - x0) * rows) levels[i][c][column] = clippedMean(differences.subarray(0, n), 3).mean;
      }
  }
  return levels;
}

/**
 * A plan whose subs are brought to the median of all place by place, as far as their skies are uneven: what is even stays as it
 * was, since its levels are known less well than they lie. `rows`: what levelsInRow gave for each row of the mesh.
 */
export function withLocalLevels(plan: StackPlan, settings: StackSettings, rows: readonly number[][][][]): StackPlan {
  const mesh = levelMesh(plan, settings);
  const middle = (k: number) => (k + 0.5) * mesh.step - 0.5;
  return {
    ...plan,
    used: plan.used.map((sub, i) => {
      const offset = Array.from({ length: plan.channels }, (_, c) =>
        asFarAsUneven(
          rows.flatMap((row) => row[i][c].map((level) => -level)),
          Math.sqrt(sub.scatter.noise[c]),
          mesh,
        ),
      );
      if (!sub.starlight && offset.every((of) => of.every((v) => v === 0))) return sub;
      return { ...sub, local: { ...mesh, gain: gainsOf(sub, mesh, middle), offset } };
    }),
  };
}

/** Levels of a mesh as far as neighbours say the same; `sigma`: of a pixel, 0 where it is not known. */
function asFarAsUneven(levels: number[], sigma: number, mesh: LevelMesh): number[] {
  const whole = withoutHoles(levels, mesh);
  let [products, pairs] = [0, 0];
  for (let y = 0, k = 0; y < mesh.rows; y++)
    for (let x = 0; x < mesh.columns; x++, k++)
      for (const [exists, next] of [
        [x + 1 < mesh.columns, k + 1],
        [y + 1 < mesh.rows, k + mesh.columns],
      ] as const)
        if (exists) [products, pairs] = [products + whole[k] * whole[next], pairs + 1];
  const shared = Math.sqrt(Math.max(0, products) / Math.max(1, pairs));
  const share = sigma > 0 ? smoothstep(shared / sigma, ...UNEVEN) : 1;
  return whole.map((v) => (share === 0 ? 0 : share * v));
}

function gainsOf({ starlight }: PlannedSub, { columns, rows }: LevelMesh, middle: (k: number) => number): number[] {
  return Array.from({ length: columns * rows }, (_, k) =>
    starlight ? starlightAt(starlight, middle(k % columns), middle(Math.floor(k / columns))) : 1,
  );
}

/** Nodes that are not known take the mean of their known neighbours, ring by ring; 0 where none is known. */
function withoutHoles(values: number[], { columns, rows }: LevelMesh): number[] {
  let current = values;
  while (current.some((v) => v !== v)) {
    const before = current;
    current = before.map((v, k) => {
      if (v === v) return v;
      const [x, y] = [k % columns, Math.floor(k / columns)];
      let [sum, n] = [0, 0];
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++) {
          const inside = x + dx >= 0 && y + dy >= 0 && x + dx < columns && y + dy < rows;
          const near = inside ? before[(y + dy) * columns + x + dx] : NaN;
          if (near === near) [sum, n] = [sum + near, n + 1];
        }
      return n > 0 ? sum / n : NaN;
    });
    if (current.every((v, k) => v === before[k] || (v !== v && before[k] !== before[k]))) return current.map(() => 0);
  }
  return current;
}
