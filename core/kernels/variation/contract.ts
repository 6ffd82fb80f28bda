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
  /**
   * The plane of least ½ Σ (x − y)² + weight · Σ |∇x − w| + bend · weight · Σ |E w| over planes x and vector fields w, after so many primal-dual steps: ∇ by forward, E w (the symmetrised gradient) by backward differences;
   * mirrored 16 px beyond the border. Slopes cost nothing, changes of slope do: no steps in gradients. A pixel depends on those within `iterations` + 1 px alone, and that margin.
   * Sources: Bredies, Kunisch & Pock 2010, SIAM J. Imaging Sci. 3, 492; Chambolle & Pock 2011, J. Math. Imaging Vis. 40, 120.
   */
  secondVariation(
    plane: Float32Array,
    width: number,
    height: number,
    settings: { weight: number; bend: number; iterations: number },
  ): Float32Array;
}

/** How far a plane is mirrored beyond its border for the second-order kind. */
export const SECOND_MARGIN = 16;
/** The steps of the primal and of the dual variables: 1/√12, as ‖(∇ −1; 0 E)‖² < 12. */
export const SECOND_STEP = 1 / Math.sqrt(12);

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
