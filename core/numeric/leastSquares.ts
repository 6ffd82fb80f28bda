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
  let parameters = start.slice();
  let damping = 1e-3;
  const costOf = (p: Float64Array): number => {
    let sum = 0;
    for (let i = 0; i < data.length; i++) sum += (data[i] - model(p, i, gradient)) ** 2;
    return sum;
  };
  let cost = costOf(parameters);
  let iterations = 0;
  while (iterations < maxIterations) {
    iterations++;
    const normal = new Float64Array(n * n);
    const right = new Float64Array(n);
    for (let i = 0; i < data.length; i++) {
      const residual = data[i] - model(parameters, i, gradient);
      for (let a = 0; a < n; a++) {
        right[a] += gradient[a] * residual;
        for (let b = 0; b <= a; b++) normal[a * n + b] += gradient[a] * gradient[b];
      }
    }
    for (let a = 0; a < n; a++) for (let b = a + 1; b < n; b++) normal[a * n + b] = normal[b * n + a];
    let improved = false;
    for (let attempt = 0; attempt < 8 && !improved; attempt++) {
      const damped = normal.slice();
      for (let a = 0; a < n; a++) damped[a * n + a] *= 1 + damping;
      const step = solveSymmetric(damped, right);
      const next = step && parameters.map((p, a) => p + step[a]);
      const nextCost = next && accept(next) ? costOf(next) : Infinity;
      if (next && nextCost < cost) {
        const gain = (cost - nextCost) / cost;
        parameters = next;
        cost = nextCost;
        damping = Math.max(1e-9, damping / 10);
        improved = true;
        if (gain < leastGain) return { parameters, cost, iterations, converged: true };
      } else damping *= 10;
    }
    if (!improved) return { parameters, cost, iterations, converged: true };
  }
  return { parameters, cost, iterations, converged: false };
}
