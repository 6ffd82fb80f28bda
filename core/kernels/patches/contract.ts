/** Means over pixels that are alike: non-local means and the bilateral filter. */
export interface PatchKernels {
  /**
   * Non-local means: each pixel becomes the mean of those within `search` px, weighted by e^(−max(0, d² − 2 σ²)/h²), d² the mean square difference of the
   * patches of side 2 `patch` + 1 round the two; weights below e^−80 are 0; the pixel itself has
   * the weight of the best of the others (1 where all are 0). Mirrored at the border.
   * `noiseDistance` is 2 σ².
   * O(search²) a pixel whatever the patch. Sources: Buades, Coll & Morel 2005, CVPR 2, 60; sums over patches as in Darbon et al. 2008, ISBI, 1331.
   */
  nonLocalMeans(
    plane: Float32Array,
    width: number,
    height: number,
    settings: { patch: number; search: number; h: number; noiseDistance: number },
  ): Float32Array;
  /**
   * Bilateral filter: the mean of the pixels within `radius` px, weighted by e^(−r²/2 s²) e^(−(difference)²/2 range²), s = radius/2. Mirrored at the border. O(radius²) a pixel.
   * Source: Tomasi & Manduchi 1998, ICCV, 839.
   */
  bilateral(
    plane: Float32Array,
    width: number,
    height: number,
    settings: { radius: number; range: number },
  ): Float32Array;
}
