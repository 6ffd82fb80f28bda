/** Side of a block, in px. */
export const BLOCK = 8;

export interface BlockSettings {
  /** Pixels between blocks that are looked at, on a grid that starts at (−originX, −originY) of the plane, so that a crop has the grid of its picture. */
  step: number;
  originX: number;
  originY: number;
  /** How far alike blocks are looked for, in px. */
  search: number;
  /** How many alike blocks, itself among them, go together: a power of two. */
  group: number;
  /** Variance of the noise in each coefficient of a block's cosine transform, 64 numbers, row-major over v then u. */
  variance: Float32Array;
  /** Coefficients below so many σ become 0; null to weigh each by what the pilot shows of it. */
  threshold: number | null;
}

/** Block matching: alike blocks are put on one another and cleaned together. */
export interface BlockKernels {
  /**
   * For each block of the grid the most alike ones of `pilot` are put together, in order of their squared difference from it; each is turned into cosines, the stack of them into Haar
   * wavelets; each coefficient of `plane` is weighed by P²/(P² + variance), P the pilot's (or kept where it exceeds the threshold, without a pilot), turned back, and added where it came from, by a Kaiser window
   * (β 2) over the noise that it has left. A plane narrower than a block stays. Source: Dabov, Foi, Katkovnik & Egiazarian 2007, IEEE TIP 16, 2080.
   */
  matchBlocks(
    plane: Float32Array,
    pilot: Float32Array,
    width: number,
    height: number,
    settings: BlockSettings,
  ): Float32Array;
}

/** The orthonormal cosine transform of 8 samples: row k holds cos((2 i + 1) k π/16) · √(2/8), √(1/8) for k = 0. */
export const COSINES = Float32Array.from({ length: BLOCK * BLOCK }, (_, n) => {
  const [k, i] = [Math.floor(n / BLOCK), n % BLOCK];
  return (k === 0 ? Math.sqrt(1 / BLOCK) : Math.sqrt(2 / BLOCK)) * Math.cos(((2 * i + 1) * k * Math.PI) / (2 * BLOCK));
});

function besselI0(x: number): number {
  let [sum, term] = [1, 1];
  for (let k = 1; k < 30; k++) sum += term *= (x / (2 * k)) ** 2;
  return sum;
}

/** Kaiser window of β 2 over a block: it counts more in its middle. */
export const WINDOW = (() => {
  const at = (i: number) => besselI0(2 * Math.sqrt(1 - ((2 * i) / (BLOCK - 1) - 1) ** 2)) / besselI0(2);
  return Float32Array.from({ length: BLOCK * BLOCK }, (_, n) => at(n % BLOCK) * at(Math.floor(n / BLOCK)));
})();

/** Where the blocks of the grid lie along an axis: each `step`, and one at the end. */
export function blockPlaces(length: number, step: number, origin: number): number[] {
  const last = length - BLOCK;
  const first = (step - (((origin % step) + step) % step)) % step;
  const places: number[] = [];
  for (let at = first; at <= last; at += step) places.push(at);
  if (places[0] !== 0) places.unshift(0);
  if (places[places.length - 1] !== last) places.push(last);
  return places;
}

export function checkBlocks(settings: BlockSettings): void {
  const { step, group, variance, search } = settings;
  if (!Number.isInteger(Math.log2(group)) || group > 64)
    throw new RangeError(`a group must be a power of two up to 64, received ${group}`);
  if (step < 1 || search < 0)
    throw new RangeError(`step must be 1 or more and search 0 or more, received ${step}, ${search}`);
  if (variance.length !== BLOCK * BLOCK)
    throw new RangeError(`variances of ${BLOCK * BLOCK} coefficients are needed, received ${variance.length}`);
}
