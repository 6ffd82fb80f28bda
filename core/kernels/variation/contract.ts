export interface VariationKernels {
  /**
   * The plane of least ½ Σ (x − y)² + weight · Σ |∇x| after so many accelerated steps on the dual problem: ∇ by forward differences, 0 across the border. A pixel depends on those within
   * `iterations` + 1 px alone. Sources: Rudin, Osher & Fatemi 1992, Physica D 60, 259; Beck & Teboulle 2009, IEEE TIP 18, 2419.
   */
  totalVariation(
    plane: Float32Array,
    width: number,
    height: number,
    settings: { weight: number; iterations: number },
  ): Float32Array;
}

/** How far the dual variables are carried on after each step. */
export function momenta(iterations: number): number[] {
  let t = 1;
  return Array.from({ length: iterations }, () => {
    const next = (1 + Math.sqrt(1 + 4 * t * t)) / 2;
    const carried = (t - 1) / next;
    t = next;
    return carried;
  });
}
