import type { FrameUnit, SubMetadata } from "../formats";
import { toSample } from "../formats";
import type { ListedStar, PlaneFit, SubMeasures, Trail } from "../measure";
import { trailsOf } from "../measure";
import { medianInPlace } from "../raster";
import type { Warp } from "../register";
import { compose, inverse, matchStars, matrixAt } from "../register";
import { UserError } from "../job";
import type { Scales } from "./scales";
import { scalesOf, starsInStack } from "./scales";
import { axisRatio, bestReference } from "./reference";
import type { Rejection } from "./rejection";
import { chooseRejection } from "./rejection";
import type { GradedRelation, ResidualVector, SubRelation } from "./relation";
import { knownRelation, middleOf, offsetPlane, relateSub } from "./relation";
import type { SubScatter } from "./scatter";
import { scatterOf } from "./scatter";
import { fillLevels } from "./cores";
import { leftByShare } from "./keep";
import type { LocalLevels } from "./localLevels";
import type { StackSettings } from "./settings";
import type { StarlightField } from "./starlight";
import { starlightField } from "./starlight";

/** What planning needs to know of a sub. */
export interface SubFacts {
  id: string;
  name: string;
  width: number;
  height: number;
  channels: number;
  exposureS: number | null;
  measures: SubMeasures;
  stars: ListedStar[];
  /** What header or person say of it, and what its samples are. */
  metadata?: SubMetadata;
  unit?: FrameUnit;
  /** Whether it is a colour mosaic whose colours were not interpolated. */
  mosaic?: boolean;
  /** What grading found of it, by these measures and stars; what the stack asks for too is not found again. */
  graded?: GradedRelation | null;
}

/** A sub that goes into the stack: value' = scale · value + offset(x, y), per channel, in reference coordinates. */
export interface PlannedSub {
  id: string;
  name: string;
  toReference: Warp;
  residualPx: number;
  pairs: number;
  scale: number;
  /** Per channel: offset(x, y) = level + dx · x + dy · y. */
  offset: PlaneFit[];
  /** Per channel. */
  weight: number[];
  half: "A" | "B";
  scatter: SubScatter;
  vectors: ResidualVector[];
  /** Trails to be taken out whole, in its own coordinates. */
  trails: Trail[];
  /** How its starlight differs over the field, where it is brought to the others place by place. */
  starlight: StarlightField | null;
  /** What brings it to the others place by place (local.ts); null where that was not asked for, or is not measured yet. */
  local: LocalLevels | null;
  /** Sample from which on it is saturated and gives way to subs that hold more light; null where none does. */
  fullAt: number | null;
  /** Sample that stands for no data (raster/blank.ts); null for none. */
  blank?: number | null;
}

export interface LeftOutSub {
  id: string;
  name: string;
  reason: string;
}

export interface StackPlan {
  referenceId: string;
  /** Name of the sub on whose pixels it lies, where that is not the reference. */
  pixelsOf: string | null;
  width: number;
  height: number;
  channels: number;
  used: PlannedSub[];
  leftOut: LeftOutSub[];
  /** Sky of the reference, by channel. */
  sky: number[];
  rejection: Rejection;
  /** Sample of the stack from which on it is saturated, where cores of some subs are filled from others; null where none are. */
  fullAt: number | null;
  /** Weights of the finest detail and what finishes the stack, where subs weigh by scale; null where they weigh alike at every scale. */
  scales: Scales | null;
}

/** Why a sub cannot go into a stack with the others, whatever its stars say; null where it can. */
function obstacle(sub: SubFacts, reference: SubFacts, settings: StackSettings): string | null {
  if (sub.mosaic)
    return sub.metadata?.cfa
      ? "is a raw colour mosaic: its colours must be interpolated first (demosaic)"
      : "looks like a raw colour mosaic, and its header does not tell the pattern: say the pattern, so that its colours can be interpolated";
  if (sub.channels !== reference.channels)
    return `has ${sub.channels} channels, the reference has ${reference.channels}`;
  const [own, wanted] = [filterOf(sub), filterOf(reference)];
  if (!settings.mixFilters && own !== null && wanted !== null && own !== wanted)
    return `is of filter ${sub.metadata?.filter}, the stack is of ${reference.metadata?.filter}`;
  return null;
}

/** Filters are compared without regard to case and blanks; null where the header does not tell. */
const filterOf = ({ metadata }: SubFacts): string | null => metadata?.filter?.replace(/\s/g, "").toLowerCase() || null;

/**
 * Subs that are the same picture as another, by id, with the reason to leave them out: what was
 * measured of them is alike to the last digit.
 */
function copiesOf(subs: readonly SubFacts[], askedId: string | null): Map<string, string> {
  const firsts = new Map<string, SubFacts>();
  const copies = new Map<string, string>();
  const asked = subs.filter(({ id }) => id === askedId);
  for (const sub of [...asked, ...subs]) {
    const { width, height, measures, stars } = sub;
    // Without noise or stars nothing tells two pictures apart.
    if (stars.length === 0 || !measures.noise.some((sigma) => sigma > 0)) continue;
    const key = JSON.stringify([width, height, measures.background, measures.noise, stars]);
    const first = firsts.get(key);
    if (!first) firsts.set(key, sub);
    else if (first !== sub)
      copies.set(sub.id, `is the same picture as ${first.name}: counted twice, its noise would seem to average out`);
  }
  return copies;
}

/**
 * The subs of which the stack is made where not all can go together: those of the asked reference's kind, else the most frequent
 * (by filter and channels), of equals the first.
 */
function mainKind(subs: SubFacts[], settings: StackSettings): SubFacts[] {
  const asked = subs.find(({ id }) => id === settings.referenceId);
  if (asked) return subs.filter((sub) => obstacle(sub, asked, settings) === null);
  const kindOf = (sub: SubFacts): string =>
    `${sub.channels} ${sub.mosaic ?? false} ${settings.mixFilters ? "" : filterOf(sub)}`;
  let best: SubFacts[] = [];
  const seen = new Set<string>();
  for (const sub of subs) {
    const kind = kindOf(sub);
    if (seen.has(kind)) continue;
    seen.add(kind);
    // Subs that do not tell their filter go with any, but make no filters one.
    const isTold = settings.mixFilters || filterOf(sub) !== null;
    const alike = subs.filter((other) => (isTold ? obstacle(other, sub, settings) === null : kindOf(other) === kind));
    if (alike.length > best.length) best = alike;
  }
  return best;
}

/**
 * The sub to which the others are matched (reference.ts): starlight is measured against the one that is best by itself, since scores
 * need it, and the best of those that match it wins. One to which fewer than half of the others can be matched is a stranger, and the next is
 * tried; where all are strangers to each other, the one with most matches stands.
 */
export function chooseReference(subs: SubFacts[], settings: StackSettings): SubFacts | null {
  let left = subs.map((sub) => ({ ...sub, relation: null as SubRelation | null }));
  let most: typeof left = [];
  for (;;) {
    const first = bestReference(left);
    if (!first) break;
    const related = subs.flatMap((sub) => {
      // Scores only need starlight, which the least transform that fits shows as well.
      const least = relateSub(sub, first, "similarity");
      const relation = least.ok ? least : relateSub(sub, first, settings.transform);
      return relation.ok ? [{ ...sub, relation: relation.value }] : [];
    });
    if (related.length > most.length) most = related;
    if (2 * related.length >= subs.length) break;
    left = left.filter((sub) => sub !== first);
  }
  const best = bestReference(most);
  return subs.find(({ id }) => id === best?.id) ?? null;
}

/**
 * Decides what goes into a stack and how: reference, transforms, photometric scale (median flux ratio of matched stars of
 * SNR > 12 that are not saturated), background offset (the planes through both backgrounds made equal), weights (subWeight), and halves
 * by alternating accepted subs. A sub that cannot be used is left out with its reason; nothing is thrown for it. With `grid` the stack lies on
 * that sub's pixels, as stacks of several filters do that are to be joined; light and sky stay those of its own reference. Throws RangeError
 * when `subs` is empty, UserError when none can be stacked, or `grid` shares no pattern of stars with the reference.
 */
export function planStack(subs: SubFacts[], settings: StackSettings, grid: SubFacts | null = null): StackPlan {
  if (subs.length === 0) throw new RangeError("a stack needs at least one sub, received none");
  const leftOut: LeftOutSub[] = [];
  const leave = (sub: SubFacts, reason: string) => leftOut.push({ id: sub.id, name: sub.name, reason });
  const candidates = mainKind(subs, settings);
  const widths = candidates.flatMap(({ measures }) => (measures.fwhmPx === null ? [] : [measures.fwhmPx]));
  const medianFwhm = widths.length > 0 ? medianInPlace(Float64Array.from(widths)) : NaN;
  /** What is wrong with a sub's own stars, unless a person asked for it as the reference. */
  const fault = ({ measures, id }: SubFacts): string | null => {
    if (id === settings.referenceId) return null;
    const { fwhmPx, double } = measures;
    if (!settings.keepDoubles && double)
      return `shows its stars twice, ${Math.hypot(double.dx, double.dy).toFixed(1)} px apart (${Math.round(100 * double.share)} % of them): the mount jumped`;
    if (settings.fwhmLimit > 0 && fwhmPx === null && Number.isFinite(medianFwhm))
      return `no star's width could be measured in it: out of focus, or clouded over (the others have ${medianFwhm.toFixed(2)} px)`;
    if (settings.fwhmLimit > 0 && fwhmPx !== null && fwhmPx > settings.fwhmLimit * medianFwhm)
      return `FWHM ${fwhmPx.toFixed(2)} px is above the limit of ${(settings.fwhmLimit * medianFwhm).toFixed(2)} px`;
    return null;
  };
  const copies = copiesOf(candidates, settings.referenceId);
  const unspoiled = candidates.filter((sub) => fault(sub) === null && !copies.has(sub.id));
  const tooPoor = leftByShare(unspoiled, settings);
  const sound = unspoiled.filter(({ id }) => !tooPoor.has(id));
  const asked = subs.find(({ id }) => id === settings.referenceId);
  const reference = asked ?? chooseReference(sound, settings);
  if (!reference || obstacle(reference, reference, settings) !== null)
    throw new UserError(
      `no sub can be stacked: ${whyNone(subs, candidates, sound, settings)}`,
      "Choose other subs, or change what is left out.",
    );
  const matched: { sub: SubFacts; relation: SubRelation }[] = [];
  for (const sub of subs) {
    const reason =
      obstacle(sub, reference, settings) ?? fault(sub) ?? copies.get(sub.id) ?? tooPoor.get(sub.id) ?? null;
    if (reason !== null) {
      leave(sub, reason);
      continue;
    }
    const relation = knownRelation(sub, reference, settings) ?? relateSub(sub, reference, settings.transform, true);
    if (relation.ok) matched.push({ sub, relation: relation.value });
    else leave(sub, `could not be matched to the reference: ${relation.reason.detail}`);
  }
  const { width, height, channels } = reference;
  // A sub whose stars could not be measured counts as the widest of the others.
  const widest = widths.reduce((most, width) => Math.max(most, width), 0) || null;
  const shapeOf = ({ measures }: SubFacts) => ({ ...measures, fwhmPx: measures.fwhmPx ?? widest });
  const fullAt = settings.keepCores
    ? matched.map(() => null)
    : fillLevels(matched.map(({ sub, relation: { scale } }) => ({ ...sub, scale })));
  const used = matched.map(({ sub, relation }, i): PlannedSub => {
    const { toReference, residualPx, pairs } = relation;
    const { scale, offset } = normalisation(settings.normalise, sub, reference, relation);
    return {
      id: sub.id,
      name: sub.name,
      toReference,
      residualPx,
      pairs,
      scale,
      offset,
      weight: sub.measures.noise.map((sigma) =>
        settings.weights === "equal" ? 1 : subWeight(scale, sigma, BY_SHAPE[settings.weights] ? shapeOf(sub) : null),
      ),
      half: i % 2 === 0 ? "A" : "B",
      scatter: scatterOf(sub, toReference, scale, settings.resampling),
      vectors: relation.vectors ?? [],
      trails: settings.keepTrails ? [] : trailsOf(sub.measures),
      starlight:
        settings.normalise === "local" && sub.id !== reference.id
          ? starlightField(sub.stars, reference.stars, toReference, scale, reference)
          : null,
      local: null,
      fullAt: fullAt[i],
      blank: sub.measures.blank ?? null,
    };
  });
  const weighed = withKnownWeights(used);
  const isFilled = fullAt.some((level) => level !== null);
  const plan: StackPlan = {
    referenceId: reference.id,
    pixelsOf: null,
    width,
    height,
    channels,
    used: weighed,
    scales: null,
    leftOut,
    sky: reference.measures.background,
    rejection: chooseRejection(settings, used),
    fullAt: isFilled
      ? fullestAt(
          matched.map(({ sub }) => sub),
          used,
        )
      : null,
  };
  const placed = grid && grid.id !== reference.id ? ontoGrid(plan, reference, grid, settings) : plan;
  // As its stars lie where the stack is made.
  return { ...placed, ...byScales(placed.used, matched, settings) };
}

/** The most that a sample of any sub can hold, as it goes into the stack. */
function fullestAt(subs: readonly SubFacts[], used: readonly PlannedSub[]): number | null {
  const levels = subs.flatMap(({ unit }, i) =>
    unit && unit.saturation !== null
      ? [used[i].scale * toSample(unit, unit.saturation) + Math.max(...used[i].offset.map(({ level }) => level))]
      : [],
  );
  return levels.length > 0 ? Math.max(...levels) : null;
}

/** The most telling reason why there is nothing to stack. */
function whyNone(subs: SubFacts[], candidates: SubFacts[], sound: SubFacts[], settings: StackSettings): string {
  const [first] = candidates.length > 0 ? candidates : subs;
  if (first.mosaic) return `${first.name} ${obstacle(first, first, settings)}`;
  if (sound.length === 0 && candidates.length > 0) return "each shows its stars twice or is too blurred";
  const most = candidates.reduce((a, b) => (b.measures.stars > a.measures.stars ? b : a), first);
  return `no star's width could be measured in any of them (the most stars, ${most.measures.stars}, are in ${most.name})`;
}

/**
 * Subs whose noise is not known (black cut off, constant) get the least weight of the others; where none is known all weigh alike.
 */
function withKnownWeights(used: PlannedSub[]): PlannedSub[] {
  const channels = used[0]?.weight.length ?? 0;
  const least = Array.from({ length: channels }, (_, c) => {
    const known = used.map(({ weight }) => weight[c]).filter((w) => w > 0);
    return known.length > 0 ? known.reduce((a, b) => Math.min(a, b)) : 1;
  });
  return used.map((sub) => ({ ...sub, weight: sub.weight.map((w, c) => (w > 0 ? w : least[c])) }));
}

/**
 * Weight of a sub: 1/(s σ)², the best for extended light (Zackay & Ofek 2017, ApJ 836, 187), times (minor/major axis)/FWHM where `shape` is
 * given. For a star, whose light a matched filter gathers, the best is 1/((s σ)² FWHM²) (its noise-equivalent area grows with the product of its
 * axes: King 1983, PASP 95, 163); the default is the geometric mean of the two, and elongation counts once more, since it does not average
 * out as seeing does (own choice). 0 where the noise is not known.
 */
export function subWeight(
  scale: number,
  sigma: number,
  shape: Pick<SubMeasures, "fwhmPx" | "eccentricity"> | null,
): number {
  if (!(sigma > 0) || !(scale > 0)) return 0;
  const width = shape?.fwhmPx ?? 1;
  return (shape ? axisRatio(shape.eccentricity) / width : 1) / (scale * sigma) ** 2;
}

/** Whether weights of a kind know sharpness; by scale where a stack is no weighted mean of resampled subs: drizzle, medians. */
const BY_SHAPE = { scale: true, shape: true, noise: false, equal: false } as const;

/** Subs as they weigh at coarse scales, and how at fine ones. */
function byScales(
  used: PlannedSub[],
  matched: readonly { sub: SubFacts }[],
  settings: StackSettings,
): Pick<StackPlan, "used" | "scales"> {
  if (settings.weights !== "scale" || settings.combine !== "mean" || settings.drizzle !== "no")
    return { used, scales: null };
  const channels = used[0].weight.length;
  const variances = Array.from({ length: channels }, (_, c) => used.map(({ scatter }) => scatter.noise[c]));
  if (variances.some((of) => of.some((variance) => !(variance > 0)))) return { used, scales: null };
  const stars = used.map(({ toReference }, i) => starsInStack(matched[i].sub, toReference));
  const scales = scalesOf(stars, variances);
  if (!scales) return { used: used.map((sub, i) => ({ ...sub, weight: variances.map((of) => 1 / of[i]) })), scales };
  return { used: used.map((sub, i) => ({ ...sub, weight: scales.coarse.map((of) => of[i]) })), scales };
}

/** A plan whose reference's pixels give way to those of another sub of the same sky. */
function ontoGrid(plan: StackPlan, reference: SubFacts, grid: SubFacts, settings: StackSettings): StackPlan {
  const match = matchStars(reference.stars, grid.stars, { model: settings.transform });
  if (!match.ok)
    throw new UserError(
      `${reference.name} could not be matched to the common reference ${grid.name}: ${match.reason.detail}`,
      "Choose another reference, or stack this filter by itself.",
    );
  const { warp } = match.value;
  const back = matrixAt(inverse(warp), ...middleOf(grid.stars));
  const [a, b, c, d, e, f] = back;
  const { width, height } = grid;
  return {
    ...plan,
    pixelsOf: grid.name,
    width,
    height,
    used: plan.used.map((sub) => ({
      ...sub,
      toReference: compose(warp, sub.toReference),
      starlight: sub.starlight && { ...sub.starlight, from: inverse(warp) },
      // The same plane over the grid's pixels.
      offset: sub.offset.map(({ level, dx, dy }) => ({
        level: level + dx * c + dy * f,
        dx: dx * a + dy * d,
        dy: dx * b + dy * e,
      })),
    })),
  };
}

/** What brings a sub to the reference: starlight and sky, the sky alone, or nothing. */
function normalisation(
  how: StackSettings["normalise"],
  sub: SubFacts,
  reference: SubFacts,
  { toReference, scale, offset }: SubRelation,
): Pick<SubRelation, "scale" | "offset"> {
  if (how === "photometric" || how === "local") return { scale, offset };
  if (how === "none") return { scale: 1, offset: offset.map(() => ({ level: 0, dx: 0, dy: 0 })) };
  const back = matrixAt(inverse(toReference), ...middleOf(reference.stars));
  const { gradient } = reference.measures;
  return { scale: 1, offset: sub.measures.gradient.map((own, c) => offsetPlane(own, gradient[c], back, 1)) };
}
