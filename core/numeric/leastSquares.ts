/**
 * Solves A x = b for a symmetric positive definite n × n matrix (row-major) by Cholesky's method; null where A is not
 * positive definite. A and b are not changed. O(n³). Source: Golub & Van Loan, Matrix Computations, 4.2.
 */
export function solveSymmetric(a: Float64Array, b: Float64Array): Float64Array | null {
  const n = b.length;
  const l = new Float64Array(n * n);
  for (let i = 0; i < n; i++)
    for (let j = 0; j <= i; j++) {
      let sum = a[i * n + j];
      for (let k = 0; k < j; k++) sum -= l[i * n + k] * l[j * n + k];
      if (i === j) {
        if (!(sum > 0)) return null;
        l[i * n + i] = Math.sqrt(sum);
      } else l[i * n + j] = sum / l[j * n + j];
    }
  const x = b.slice();
  for (let i = 0; i < n; i++) {
    for (let k = 0; k < i; k++) x[i] -= l[i * n + k] * x[k];
    x[i] /= l[i * n + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    for (let k = i + 1; k < n; k++) x[i] -= l[k * n + i] * x[k];
    x[i] /= l[i * n + i];
  }
  return x;
}

/** Model value at sample i; its derivatives by the parameters are written into `gradient`. */
export type Model = (parameters: Float64Array, i: number, gradient: Float64Array) => number;

export interface FitResult {
  parameters: Float64Array;
  /** Sum of squared residuals. */
  cost: number;
  iterations: number;
  converged: boolean;
}

export interface FitSettings {
  /** @default 40 */
  maxIterations?: number;
  /** A step that lowers the cost by a smaller share of it is the last. @default 1e-7 */
  leastGain?: number;
}

interface Look {
  parameters: Float64Array;
  cost: number;
  normal: Float64Array;
  right: Float64Array;
}

/**
 * Least-squares fit of a model with analytic derivatives to `data` by the Levenberg–Marquardt method. `accept` may refuse
 * a step (parameters out of their range), which is then shortened. Stops when the cost falls by less than `leastGain`
 * of itself or after `maxIterations`. Written here, not taken from a package, because a night fits thousands of stars
 * and needs bounds on the step; checked on closed forms in numeric.test.ts and measure.test.ts.
 * Source: Marquardt 1963, J. SIAM 11, 431; damping after Press et al., Numerical Recipes, 15.5.
 */
export function levenbergMarquardt(
  data: Float64Array,
  start: Float64Array,
  model: Model,
  accept: (parameters: Float64Array) => boolean,
  { maxIterations = 40, leastGain = 1e-7 }: FitSettings = {},
): FitResult {
  const n = start.length;
  const gradient = new Float64Array(n);
  /** The cost at a place, and the equations of the step from there: one look at the model serves both. */
  const lookAt = (place: Float64Array): Look => {
    const normal = new Float64Array(n * n);
    const right = new Float64Array(n);
    let cost = 0;
    for (let i = 0; i < data.length; i++) {
      const residual = data[i] - model(place, i, gradient);
      cost += residual * residual;
      for (let a = 0; a < n; a++) {
        const slope = gradient[a];
        right[a] += slope * residual;
        for (let b = 0, k = a * n; b <= a; b++, k++) normal[k] += slope * gradient[b];
      }
    }
    for (let a = 0; a < n; a++) for (let b = a + 1; b < n; b++) normal[a * n + b] = normal[b * n + a];
    return { parameters: place, cost, normal, right };
  };
  let at = lookAt(start.slice());
  let damping = 1e-3;
  for (let iterations = 1; iterations <= maxIterations; iterations++) {
    const before = at;
    for (let attempt = 0; attempt < 8 && at === before; attempt++) {
      const damped = at.normal.slice();
      for (let a = 0; a < n; a++) damped[a * n + a] *= 1 + damping;
      const step = solveSymmetric(damped, at.right);
      const next = step && before.parameters.map((p, a) => p + step[a]);
      const there = next && accept(next) ? lookAt(next) : null;
      if (there && there.cost < before.cost) {
        at = there;
        damping = Math.max(1e-9, damping / 10);
      } else damping *= 10;
    }
    const isSettled = at === before || (before.cost - at.cost) / before.cost < leastGain;
    if (isSettled) return { parameters: at.parameters, cost: at.cost, iterations, converged: true };
  }
  return { parameters: at.parameters, cost: at.cost, iterations: maxIterations, converged: false };
}
