export interface ShrinkSettings {
  /** 1 / σ of the noise, by channel and scale: `inverseSigma[channel][scale]`. 0 means that channel has no noise. */
  inverseSigma: number[][];
  /** Coefficients below about k σ are shrunk; 0 leaves the picture as it is. */
  k: number;
  /** 0 … 1: how much a significant neighbourhood protects a weak coefficient. */
  protect: number;
}

/** The starlet: one step of it, and shrinkage of its coefficients. */
export interface StarletKernels {
  /** One starlet smoothing step: the B3 spline [1 4 6 4 1]/16 in x and y at distance 2^scale, mirrored at the border. */
  starletSmooth(plane: Float32Array, width: number, height: number, scale: number): Float32Array;
  /**
   * k-sigma shrinkage of starlet coefficients over `inverseSigma[0].length` scales. With several planes one gain serves
   * all of them at each place, so colour is kept. For each scale with coefficients d_c:
   * z = mean over c of (d_c / σ_c)², e = mean of z over 3 × 3, t = z + 4·protect·max(0, e − 1.5), u = t / k²,
   * d_c ← d_c · u² / (1 + u²).
   */
  starletShrink(planes: Float32Array[], width: number, height: number, settings: ShrinkSettings): Float32Array[];
}
