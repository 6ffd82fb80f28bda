import { randomNormal, randomPoisson } from "d3-random";
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

/** Mean from which on a Poisson number is a rounded normal of the same mean and variance: its skewness, 1/√mean, is below 0.19. */
const NORMAL_FROM = 30;

/** Seeded random numbers: xoroshiro128+ (package pure-rand) with the distributions of d3-random. */
export function createRandom(seed: number): Random {
  const generator = xoroshiro128plus(seed | 0);
  const fast = (): number => (generator.next() >>> 0) * 2.3283064365386963e-10; // 2⁻³²
  const normal = randomNormal.source(fast)();
  const few = randomPoisson.source(fast);
  const poisson = (mean: number): number => {
    if (!(mean > 0)) return 0;
    return mean > NORMAL_FROM ? Math.max(0, Math.round(mean + Math.sqrt(mean) * normal())) : few(mean)();
  };
  return { uniform: () => uniformFloat64(generator), normal, poisson };
}
