import KDBush from "kdbush";
import { createRandom } from "../numeric/random";
import { medianInPlace } from "../raster";
import type { Refusal, Result } from "../result";
import { done, refused } from "../result";
import type { WarpModel } from "./fit";
import { fitWarp, WARP_MODELS } from "./fit";
import type { Warp } from "./warp";
import { compose, linear, mapPoint } from "./warp";

export interface PatternStar {
  x: number;
  y: number;
  flux: number;
  /** Height over noise; how well the position is known. */
  snr: number;
  /** Saturated stars have flat tops and badly known places. */
  saturated?: boolean;
}

export interface Registration {
  warp: Warp;
  /** Indices of stars that belong together: [in the sub, in the reference]. */
  pairs: [number, number][];
  /** Root mean square distance of the pairs after the warp, weighted by how well each is known, in px. */
  residualPx: number;
}

export type RegistrationFailure = "too-few-stars" | "no-pattern";
export type RegistrationResult = Result<Registration, Refusal<RegistrationFailure>>;

/** The model of a warp that is asked for, or "auto": the simplest that describes the pairs as well as any. */
export type AskedModel = WarpModel | "auto";

export interface MatchOptions {
  model?: AskedModel;
  /** Brightest stars that make the pattern. @default 60 */
  patternStars?: number;
  /** Stars closer than this after the warp belong together. @default 2 */
  tolerancePx?: number;
}

interface Triangle {
  /** Vertices ordered by the side opposite to them, from the shortest to the longest. */
  vertices: [number, number, number];
  ratios: [number, number];
  turn: number;
}

/**
 * Finds the warp from a sub's stars to the reference's. Triangles of each star and its near neighbours are compared by
 * their side ratios (which no shift, turn or scale changes; mirror images are distinguished by their sense); matching
 * triangles propose similarities, and the one that brings most stars together wins (RANSAC over triangles). It is then
 * refined over all pairs by least squares, each pair weighted by how well its places are known and, robustly,
 * by how well it agrees (Cauchy weights); pairs beyond three times the median distance are left out.
 * Any rotation, scales from a quarter to four; mirror images are tried where the stars do not match as they are. Left to itself ("auto") a model of more
 * numbers is taken only where it shows the places of stars that it was not fitted to better
 * (cross-validation). Fails where fewer than 6 stars are given, or fewer come together than 6, 15
 * % of the smaller list, or chance could bring together.
 * Sources: Groth 1986, AJ 91, 1244; Valdes et al. 1995, PASP 107, 1119; Fischler & Bolles 1981, CACM 24, 381.
 */
export function matchStars(
  sub: PatternStar[],
  reference: PatternStar[],
  options: MatchOptions = {},
): RegistrationResult {
  const found = matchUnmirrored(sub, reference, options);
  if (found.ok || found.reason.why !== "no-pattern") return found;
  const mirrored = matchUnmirrored(
    sub.map((star) => ({ ...star, x: -star.x })),
    reference,
    options,
  );
  return mirrored.ok ? done({ ...mirrored.value, warp: compose(mirrored.value.warp, MIRROR) }) : found;
}

const MIRROR = linear([-1, 0, 0, 0, 1, 0]);

function matchUnmirrored(
  sub: PatternStar[],
  reference: PatternStar[],
  { model = "similarity", patternStars = 60, tolerancePx = 2 }: MatchOptions,
): RegistrationResult {
  const a = brightest(sub, patternStars);
  const b = brightest(reference, patternStars);
  if (a.length < 6 || b.length < 6)
    return refused("too-few-stars", `${Math.min(a.length, b.length)} stars found, 6 are needed`);
  const proposals = proposeWarps(trianglesOf(a), trianglesOf(b), a, b);
  const random = createRandom(1);
  let best: { warp: Warp; count: number } | null = null;
  const tree = treeOf(b);
  const tries = Math.min(proposals.length, 4000);
  for (let k = 0; k < tries; k++) {
    const swap = k + Math.floor(random.uniform() * (proposals.length - k));
    [proposals[k], proposals[swap]] = [proposals[swap], proposals[k]];
    const warp = proposals[k];
    const count = pairUp(a, b, tree, warp, tolerancePx * 1.5).length;
    if (!best || count > best.count) best = { warp, count };
    if (best.count > 0.8 * Math.min(a.length, b.length)) break;
  }
  const needed = Math.max(6, Math.ceil(0.15 * Math.min(a.length, b.length)), pairsByChance(a, b, tolerancePx * 1.5));
  if (!best || best.count < needed)
    return refused(
      "no-pattern",
      `only ${best?.count ?? 0} of ${a.length} bright stars fit the reference, ${needed} are needed`,
    );
  const refined =
    model === "auto"
      ? simplestOf(sub, reference, best.warp, tolerancePx)
      : refine(sub, reference, best.warp, model, tolerancePx);
  // Stars that came together by chance do not stay together when the warp is refined on all of them.
  if (refined.pairs.length < needed)
    return refused("no-pattern", `only ${refined.pairs.length} stars stay together, ${needed} are needed`);
  return done(refined);
}

/** A model of more numbers must lower the mean square of what is left by this share, on pairs that it was not fitted to. */
const WORTH = 0.85;
const FOLDS = 5;
/** Below this share of the pairs' own variance nothing is left to be told better. */
const NOTHING_LEFT = 0.01;

/**
 * The simplest model beyond which none shows places better. Pairs are cut into five parts, each
 * measured by a fit to the other four; since a distortion also
 * brings stars together that a simpler model leaves apart, both models are judged on the pairs of the richer one.
 */
function simplestOf(sub: PatternStar[], reference: PatternStar[], start: Warp, tolerancePx: number): Registration {
  let best: { model: WarpModel; found: Registration } = {
    model: "similarity",
    found: refine(sub, reference, start, "similarity", tolerancePx),
  };
  const { pairs } = best.found;
  const plain = unseenError(sub, reference, pairs, "similarity");
  if (plain < NOTHING_LEFT) return best.found;
  for (const model of WARP_MODELS.slice(WARP_MODELS.indexOf("affine"))) {
    // Even the pairs that a similarity brings together show whether more is worth trying.
    if (pairs.length < ENOUGH[model] || unseenError(sub, reference, pairs, model) > WORTH * plain) continue;
    const found = refine(sub, reference, best.found.warp, model, tolerancePx);
    if (found.pairs.length < ENOUGH[model]) break;
    const [now, before] = [model, best.model].map((one) => unseenError(sub, reference, found.pairs, one));
    if (now < WORTH * before) best = { model, found };
  }
  return best.found;
}

/** Mean square of the distances of pairs, in their own variances, each under a fit to the other parts; clipped, so that no wrong pair decides. */
function unseenError(
  sub: PatternStar[],
  reference: PatternStar[],
  pairs: readonly [number, number][],
  model: WarpModel,
): number {
  let sum = 0;
  for (let fold = 0; fold < FOLDS; fold++) {
    const seen = pairs.filter((_, k) => k % FOLDS !== fold);
    const warp = fitWarp(
      seen.map(([i, j]) => [sub[i], reference[j]] as const),
      model,
      seen.map(([i, j]) => 1 / positionVariance(sub[i], reference[j])),
    );
    if (!warp) return Infinity;
    for (let k = fold; k < pairs.length; k += FOLDS) {
      const [p, q] = [sub[pairs[k][0]], reference[pairs[k][1]]];
      const [x, y] = mapPoint(warp, p.x, p.y);
      sum += Math.min(25, ((x - q.x) ** 2 + (y - q.y) ** 2) / positionVariance(p, q));
    }
  }
  return sum / pairs.length;
}

/**
 * Pairs that a wrong warp could bring together by chance: the mean λ = n_a n_b π r² / area of a Poisson distribution,
 * and five standard deviations and four more, since thousands of warps are tried.
 */
function pairsByChance(a: PatternStar[], b: PatternStar[], radius: number): number {
  const extent = (value: (star: PatternStar) => number) => Math.max(...b.map(value)) - Math.min(...b.map(value)) + 1;
  const area = extent(({ x }) => x) * extent(({ y }) => y);
  const mean = (a.length * b.length * Math.PI * radius * radius) / area;
  return Math.ceil(mean + 5 * Math.sqrt(mean) + 4);
}

function brightest(stars: PatternStar[], count: number): PatternStar[] {
  return [...stars].sort((p, q) => q.flux - p.flux).slice(0, count);
}

function treeOf(stars: { x: number; y: number }[]): KDBush {
  const tree = new KDBush(stars.length);
  for (const star of stars) tree.add(star.x, star.y);
  return tree.finish();
}

function trianglesOf(stars: PatternStar[]): Triangle[] {
  const triangles: Triangle[] = [];
  const NEIGHBOURS = 9;
  const seen = new Set<number>();
  stars.forEach((star, i) => {
    const near = stars
      .map((other, j) => ({ j, d: Math.hypot(other.x - star.x, other.y - star.y) }))
      .filter(({ j, d }) => j !== i && d > 8)
      .sort((p, q) => p.d - q.d)
      .slice(0, NEIGHBOURS)
      .map(({ j }) => j);
    for (let p = 0; p < near.length; p++)
      for (let q = p + 1; q < near.length; q++) {
        const [u, v, w] = [i, near[p], near[q]].sort((x, y) => x - y);
        const key = (u * 4096 + v) * 4096 + w;
        if (seen.has(key)) continue;
        seen.add(key);
        const triangle = triangleOf(stars, u, v, w);
        if (triangle) triangles.push(triangle);
      }
  });
  return triangles;
}

function triangleOf(stars: PatternStar[], i: number, j: number, k: number): Triangle | null {
  const side = (p: number, q: number) => Math.hypot(stars[p].x - stars[q].x, stars[p].y - stars[q].y);
  const opposite = [
    { vertex: i, length: side(j, k) },
    { vertex: j, length: side(i, k) },
    { vertex: k, length: side(i, j) },
  ].sort((p, q) => p.length - q.length);
  const longest = opposite[2].length;
  const ratios: [number, number] = [opposite[0].length / longest, opposite[1].length / longest];
  // Nearly straight or nearly isosceles triangles tell little or mix their corners up.
  if (ratios[0] + ratios[1] < 1.03 || ratios[1] > 0.98 || ratios[1] - ratios[0] < 0.02) return null;
  const vertices = opposite.map(({ vertex }) => vertex) as [number, number, number];
  const [p, q, r] = vertices.map((v) => stars[v]);
  return { vertices, ratios, turn: Math.sign((q.x - p.x) * (r.y - p.y) - (q.y - p.y) * (r.x - p.x)) };
}

function proposeWarps(from: Triangle[], to: Triangle[], a: PatternStar[], b: PatternStar[]): Warp[] {
  const tree = treeOf(to.map(({ ratios }) => ({ x: ratios[0], y: ratios[1] })));
  const proposals: Warp[] = [];
  for (const triangle of from)
    for (const k of tree.within(triangle.ratios[0], triangle.ratios[1], 0.008)) {
      const other = to[k];
      if (other.turn !== triangle.turn) continue;
      const pairs = triangle.vertices.map((v, n) => [a[v], b[other.vertices[n]]] as const);
      const fit = fitWarp(pairs, "similarity");
      if (fit) proposals.push(fit);
    }
  return proposals;
}

function pairUp(
  from: PatternStar[],
  to: PatternStar[],
  tree: KDBush,
  warp: Warp,
  tolerancePx: number,
): [number, number][] {
  const bestOf = new Map<number, { i: number; d: number }>();
  from.forEach((star, i) => {
    const [x, y] = mapPoint(warp, star.x, star.y);
    for (const j of tree.within(x, y, tolerancePx)) {
      const d = Math.hypot(to[j].x - x, to[j].y - y);
      const known = bestOf.get(j);
      if (!known || d < known.d) bestOf.set(j, { i, d });
    }
  });
  return [...bestOf].map(([j, { i }]) => [i, j]);
}

/**
 * Variance of the distance between the two positions of a star: centroid errors of about FWHM / (2 SNR), FWHM 3 px, and
 * 0.02 px for what limits bright stars (sampling, blends). Source: common practice; King 1983, PASP 95, 163.
 */
function positionVariance(p: PatternStar, q: PatternStar, doubtPx = 0): number {
  const flat = (p.saturated ?? false) || (q.saturated ?? false) ? 0.2 ** 2 : 0;
  return 0.02 ** 2 + (1.5 / p.snr) ** 2 + (1.5 / q.snr) ** 2 + flat + doubtPx ** 2;
}

/** Pairs from which on a model is trusted: about six for each number that is fitted along an axis. */
const ENOUGH: Record<WarpModel, number> = {
  shift: 1,
  similarity: 2,
  affine: 12,
  projective: 24,
  quadratic: 36,
  cubic: 60,
};

/** The model that is asked for, or the one before it that the pairs suffice for. */
function modelFor(asked: WarpModel, pairs: number): WarpModel {
  const models = WARP_MODELS.slice(0, WARP_MODELS.indexOf(asked) + 1);
  return models.reverse().find((model) => pairs >= ENOUGH[model]) ?? "similarity";
}

function refine(
  sub: PatternStar[],
  reference: PatternStar[],
  start: Warp,
  model: WarpModel,
  tolerancePx: number,
): Registration {
  const tree = treeOf(reference);
  let warp = start;
  let pairs: [number, number][] = [];
  let residualPx = Infinity;
  for (let round = 0; round < 10; round++) {
    // The first warp comes from three stars, which may be blends: at first all places are doubted alike.
    const doubtPx = 0.8 / 2 ** round;
    pairs = pairUp(sub, reference, tree, warp, round === 0 ? 2 * tolerancePx : tolerancePx);
    const distance = ([i, j]: [number, number]) => {
      const [x, y] = mapPoint(warp, sub[i].x, sub[i].y);
      return Math.hypot(x - reference[j].x, y - reference[j].y);
    };
    const normalised = ([i, j]: [number, number]) =>
      distance([i, j]) / Math.sqrt(positionVariance(sub[i], reference[j], doubtPx));
    const limit = 3 * Math.max(1, medianInPlace(Float64Array.from(pairs, normalised)));
    pairs = pairs.filter((pair) => normalised(pair) <= limit);
    const next = fitWarp(
      pairs.map(([i, j]) => [sub[i], reference[j]] as const),
      modelFor(model, pairs.length),
      pairs.map(
        (pair) => 1 / positionVariance(sub[pair[0]], reference[pair[1]], doubtPx) / (1 + (normalised(pair) / 2) ** 2),
      ),
    );
    if (!next) break;
    warp = next;
    const weights = pairs.map(([i, j]) => 1 / positionVariance(sub[i], reference[j]));
    const total = weights.reduce((a, b) => a + b, 0);
    residualPx = Math.sqrt(pairs.reduce((sum, pair, k) => sum + weights[k] * distance(pair) ** 2, 0) / total);
  }
  return { warp, pairs, residualPx };
}
