/** A star as a point: its place, and its height above what lies around it in each channel, as the PSF of height 1 draws it. */
export interface PointStar {
  x: number;
  y: number;
  heights: number[];
}

/** An elliptical Moffat profile of height 1: (1 + q)^−β, q = a dx² + 2 b dx dy + c dy², from a table of powers that is even in √q. */
export interface MoffatTable {
  a: number;
  b: number;
  c: number;
  beta: number;
  /** Entry k holds q = (k/scale)². The last two serve all that lies farther out. */
  scale: number;
  powers: Float64Array;
}

/** The profile at (dx, dy), and 1 + q there. */
export function profileAt({ a, b, c, scale, powers }: MoffatTable, dx: number, dy: number): [number, number] {
  const q = a * dx * dx + 2 * b * dx * dy + c * dy * dy;
  const at = Math.min(powers.length - 2, Math.sqrt(q) * scale);
  const k = Math.floor(at);
  return [powers[k] + (at - k) * (powers[k + 1] - powers[k]), 1 + q];
}

/** Planes that stars are drawn on, and how they look in each. */
export interface StarPlanes {
  planes: readonly Float32Array[];
  width: number;
  height: number;
  profiles: readonly MoffatTable[];
  /** Light of a star that lies below this in its plane need not be drawn: 0 draws each as far as any. */
  least: readonly number[];
}

export interface SolveSettings {
  /** σ of each sample, by channel. */
  sigmas: readonly Float32Array[];
  rounds: number;
  /** How far a star may stray from where it was found, in px. @default 0.8 */
  leashPx?: number;
}

export interface StarKernels {
  /** Adds stars to planes, in place; with −1 it takes them off. A star is drawn as far as it is high enough, to DRAWN px at most, the last 30 % let out softly. */
  drawStars(on: StarPlanes, stars: readonly PointStar[], times: number): void;
  /**
   * Places and heights of stars, one after the other against what the others leave, round by round (block coordinate descent of the joint least squares): in each square of 9 × 9 px the place, and for each channel the
   * height and a level, weighted by the noise. The planes hold what is left after all stars as they are given, and do so after for those that are returned. The place is shared by the channels and held where it was
   * found by .15 px, and within the leash of it. Stars whose height falls to 0 in every channel go. Source: Stetson 1987, PASP 99, 191 (groups by iteration); Gauss–Newton, each channel's height and level eliminated first (Schur complement).
   */
  solveStars<S extends PointStar>(residual: StarPlanes, stars: readonly S[], settings: SolveSettings): S[];
}

/** How far a star is drawn at most, and at least, in px; beyond this share of that it is let out softly, so that it has no rim. */
export const DRAWN = 15;
export const DRAWN_LEAST = 5;
export const SOFT_FROM = 0.7;
/** Half the side of the square round a star that decides it. */
export const DECIDES = 4;
/** A step moves a star at most so far, and in all it stays within so much of where it was found. */
export const [STEP_PX, LEASH_PX] = [0.4, 0.8];
/** The place is held to where it was found by so many px. */
export const PRIOR_PX = 0.15;

/** A step that lowers Σ residual²/σ² by less than this is not taken: drawing stars anew for it would be most of the work. */
export const SETTLED = 1e-3;

/** How far a star is drawn: to where it is lower than the least in every channel. */
export function drawnRadius(heights: readonly number[], profiles: readonly MoffatTable[], least: readonly number[]) {
  let radius = DRAWN_LEAST;
  heights.forEach((height, c) => {
    const { a, b, c: d, beta } = profiles[c];
    const q = Math.max(0, Math.abs(height) / least[c]) ** (1 / beta) - 1;
    // Along the long axis, where the form's smaller eigenvalue counts.
    const flat = (a + d) / 2 - Math.sqrt(((a - d) / 2) ** 2 + b * b);
    if (height !== 0) radius = Math.max(radius, Math.sqrt(Math.max(0, q) / flat));
  });
  return Math.min(DRAWN, radius);
}

export function checkStars(
  { planes, width, height, profiles, least }: StarPlanes,
  stars: readonly PointStar[],
  sigmas: readonly Float32Array[] = planes,
): void {
  const isEven =
    [...planes, ...sigmas].every((plane) => plane.length === width * height) && sigmas.length === planes.length;
  if (!isEven || profiles.length !== planes.length || least.length !== planes.length)
    throw new RangeError(
      `stars are drawn on planes of ${width}×${height} with a profile each, received ${planes.map((p) => p.length).join(", ")} samples and ${profiles.length} profiles`,
    );
  const odd = stars.find(({ heights }) => heights.length !== planes.length);
  if (odd) throw new RangeError(`a star has ${odd.heights.length} heights where there are ${planes.length} planes`);
}
