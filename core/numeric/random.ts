import { uniformFloat64 } from "pure-rand/distribution/uniformFloat64";
import { xoroshiro128plus } from "pure-rand/generator/xoroshiro128plus";

/** A seeded source of random numbers: the same seed gives the same numbers everywhere. */
export interface Random {
  /** Uniform in [0, 1). */
  uniform(): number;
  /** Normal with mean 0 and σ 1. */
  normal(): number;
  /** Poisson with the given mean ≥ 0. */
  poisson(mean: number): number;
}

/**
 * Seeded random numbers: xoroshiro128+ (package pure-rand), normals by Marsaglia's polar method, Poisson numbers by
 * multiplication below a mean of 30 and else by a rounded normal of the same mean and variance (its skewness, 1/√mean,
 * is then below 0.19). Sources: Marsaglia & Bray 1964, SIAM Review 6, 260; Knuth, TAOCP 2, 3.4.1.
 */
export function createRandom(seed: number): Random {
  const generator = xoroshiro128plus(seed | 0);
  let spare = NaN;
  const uniform = (): number => uniformFloat64(generator);
  const fast = (): number => (generator.next() >>> 0) * 2.3283064365386963e-10; // 2⁻³²
  const normal = (): number => {
    if (spare === spare) {
      const value = spare;
      spare = NaN;
      return value;
    }
    for (;;) {
      const u = 2 * fast() - 1;
      const v = 2 * fast() - 1;
      const s = u * u + v * v;
      if (s > 0 && s < 1) {
        const factor = Math.sqrt((-2 * Math.log(s)) / s);
        spare = v * factor;
        return u * factor;
      }
    }
  };
  const poisson = (mean: number): number => {
    if (!(mean > 0)) return 0;
    if (mean > 30) return Math.max(0, Math.round(mean + Math.sqrt(mean) * normal()));
    const limit = Math.exp(-mean);
    let k = 0;
    for (let product = fast(); product > limit; product *= fast()) k++;
    return k;
  };
  return { uniform, normal, poisson };
}
