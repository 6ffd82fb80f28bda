import type { JobHandle } from "../../job";
import type { PointShape } from "../../measure";
import { isHighest, PEAKS_HALO, pointFilter, smoothed } from "../../measure";

/**
 * A point that a wider profile answers better by this is structure; by a much narrower one, a spike. `by`: share of the FWHM; `most`: of what they would answer to a star, as clearly as noise lets them
 * (how neighbours share it decides that, so the limits hold before a noise reduction and after).
 */
const WIDER = { by: 1.45, most: 1.09 };
/** Two stars together are wider than one: what stands out by so many σ may be wider by this. */
const CLEAR = { from: 15, most: 1.3 };
const NARROWER = { by: 0.3, most: 2 };

export interface FoundPoint {
  x: number;
  y: number;
  significance: number;
  isWide: boolean;
}

/** Points in a plane of even noise that are as wide as a star, neither wider nor much narrower, and stand out of their surroundings too. */
export function pointsOf(
  plane: Float32Array,
  width: number,
  height: number,
  shape: PointShape,
  noise: readonly number[],
  least: number,
  job: JobHandle,
): FoundPoint[] {
  const { kernels } = job;
  const shapes = [
    shape,
    { ...shape, fwhmPx: WIDER.by * shape.fwhmPx },
    { fwhmPx: NARROWER.by * shape.fwhmPx, beta: 8 },
  ];
  const [filter, wider, narrower] = shapes.map((of) => pointFilter(of, noise));
  const own = filter?.over(plane, width, height, kernels);
  if (!filter || !own || !wider || !narrower) return [];
  const [wide, narrow] = [wider, narrower].map((of) => of.to(shape) / filter.to(shape));
  const squares = own.map((v) => Math.min(v * v, 9));
  const around = smoothed(squares, width, height, 4, kernels);
  const points: FoundPoint[] = [];
  const edge = PEAKS_HALO;
  for (let y = edge; y < height - edge; y++)
    for (let x = edge; x < width - edge; x++) {
      const i = y * width + x;
      const answer = own[i];
      if (answer < least * Math.sqrt(Math.max(1, around[i])) || !isHighest(own, width, i)) continue;
      const most = answer > CLEAR.from ? CLEAR.most : WIDER.most;
      const toWider = wider.at(plane, width, i);
      if (toWider > most * wide * answer || narrower.at(plane, width, i) > NARROWER.most * narrow * answer) continue;
      points.push({ x, y, significance: answer, isWide: toWider > WIDER.most * wide * answer });
    }
  return points;
}
