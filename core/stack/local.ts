import type { Kernels } from "../kernels";
import type { FrameSource, Raster } from "../raster";
import { clippedMean } from "../raster";
import { sampleSub } from "./integrate";
import type { LevelMesh } from "./localLevels";
import type { PlannedSub, StackPlan } from "./plan";
import type { StackSettings } from "./settings";
import { starlightAt } from "./starlight";

/** Rows of a patch that are looked at: with the patch's width more than enough to know its level to a few hundredths of σ. */
const SAMPLED_ROWS = 96;
/** Share of a patch that must be covered for its level to count. */
const LEAST_SHARE = 0.25;

export function levelMesh({ width, height }: Pick<StackPlan, "width" | "height">, settings: StackSettings): LevelMesh {
  const step = settings.patchPx;
  return { step, columns: Math.max(1, Math.ceil(width / step)), rows: Math.max(1, Math.ceil(height / step)) };
}

/**
 * How far each sub lies above the median of all in the patches of one row of the mesh, by sub, channel and column: the mean of the differences, pixel
 * by pixel, clipped at 3 σ. Stars and gas are in both and cancel; what is in one sub alone and small is clipped. NaN where too little is covered.
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
            if (d === d) differences[n++] = d;
          }
        if (n >= LEAST_SHARE * (x1 - x0) * rows) levels[i][c][column] = clippedMean(differences.subarray(0, n), 3).mean;
      }
  }
  return levels;
}

/** A plan whose subs are brought to the median of all place by place; `rows`: what levelsInRow gave for each row of the mesh. */
export function withLocalLevels(plan: StackPlan, settings: StackSettings, rows: readonly number[][][][]): StackPlan {
  const mesh = levelMesh(plan, settings);
  const middle = (k: number) => (k + 0.5) * mesh.step - 0.5;
  return {
    ...plan,
    used: plan.used.map((sub, i) => {
      const offset = Array.from({ length: plan.channels }, (_, c) =>
        withoutHoles(
          rows.flatMap((row) => row[i][c].map((level) => -level)),
          mesh,
        ),
      );
      return { ...sub, local: { ...mesh, gain: gainsOf(sub, mesh, middle), offset } };
    }),
  };
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
