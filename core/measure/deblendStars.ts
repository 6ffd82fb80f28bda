import KDBush from "kdbush";
import type { Kernels, PointStar, StarPlanes } from "../kernels";
import { DRAWN, LEASH_PX } from "../kernels";
import { cropPlane, intersectRegions, pastePlane } from "../raster";
import type { Patch, Point } from "./starFits";
import { drawnOut, fitPoints, fitWide, lightOf, patchOf, restOf } from "./starFits";

/** Stars nearer to each other than this, in FWHM, are judged together, up to so many. */
const [LINKED, MOST] = [1.4, 6];
/** A group is judged again where a star that was not judged lies so near to it, in FWHM. */
const REJUDGED = 3;
/** Where a group holds more, its links are shortened by this until it falls apart. */
const LINKED_LESS = 0.8;
const LEAST_LINK_PX = 0.2;
/** So far around stars they are drawn, wherever solving moves them. */
const REACH = DRAWN + Math.ceil(LEASH_PX) + 1;
/** A lone star is looked at where it stands so many σ high, and what it leaves is drawn out: by so much of Σ residual²/σ². */
const [LEAST_HEIGHT, LEAST_GAIN] = [8, 15];
/** What an explanation leaves, Σ residual²/σ², must fall by this for each value more that it has: noise of resampled subs is no white one. */
const FOR_EACH_VALUE = 8;
/** More stars than were found are taken only where they leave at most so many σ² in the mean: where the PSF is not as it is said, no number of stars explains one. */
const EXPLAINED = 2.5;
/** Of two stars the fainter one is at least so high as a share of the other, and their light is spread, p q d²/(p + q)², by so much of FWHM²: a PSF that is known to some hundredths of its width, as where it changes over the field, looks spread by .02. */
const [LEAST_RATIO, LEAST_SPREAD] = [0.12, 0.04];

/** A star, and, once its group was judged, whether it is part of something wide that no stars explain as simply: of a knot of gas, or a small galaxy. */
export type MaybeJudged = PointStar & { isKnot?: boolean };

/**
 * The simplest explanation of each group of stars that stand within 1.4 FWHM of each other, and of each star from 8 σ on that leaves something drawn out: one star, two, three, all that were found, or one profile that is wider than a star in every direction.
 * A search for points in what a first star left finds two for one, three for a close pair, a handful for a small galaxy. Each explanation is fitted to what the group holds, over a level with a slope; that with the least Σ residual²/σ² + 8 for each
 * value is taken. Groups that were judged before, and near which there is no star that was not,
 * stay as they are. `residual` holds the planes less all stars, before and after (of knots too);
 * `sigmas` the σ of their samples, huge where they say nothing: groups with such
 * samples at their cores stay too. Source: own; the choice after Akaike 1974, IEEE Trans. Autom. Control 19, 716; the fits by Marquardt's method.
 */
export function deblendStars<S extends MaybeJudged>(
  residual: StarPlanes,
  stars: readonly S[],
  sigmas: readonly Float32Array[],
  fwhm: number,
  kernels: Kernels,
): ((S | PointStar) & { isKnot: boolean })[] {
  const unjudged = stars.filter(({ isKnot }) => isKnot === undefined);
  const fresh = new KDBush(unjudged.length);
  for (const { x, y } of unjudged) fresh.add(x, y);
  fresh.finish();
  const isKnown = ({ x, y }: PointStar) => fresh.within(x, y, REJUDGED * fwhm).length === 0;
  return groupsOf(stars, LINKED * fwhm, MOST).flatMap((group) => {
    const members = group.map((k) => stars[k]);
    const as = (those: readonly (S | PointStar)[], isKnot: boolean) => those.map((star) => ({ ...star, isKnot }));
    if (members.every(isKnown)) return members.map((star) => ({ ...star, isKnot: star.isKnot === true }));
    const patch = patchOf(residual, members, sigmas, fwhm, kernels);
    const simplest = patch && simplestOf(patch, members, fwhm, kernels);
    if (!patch || !simplest || simplest === "as they are") return as(members, false);
    if (simplest === "knot") return as(members, true);
    const heights = members[0].heights.map((_, c) => members.reduce((sum, star) => sum + star.heights[c], 0));
    const found = simplest.map(({ x, y, h }) => ({
      x: x + patch.x0,
      y: y + patch.y0,
      heights: heights.map((of) => (of * h) / patch.height),
    }));
    return as(replaced(residual, members, found, sigmas, kernels), false);
  });
}

/** Puts stars back into what all of them left, takes others off and solves them there: in their neighbourhood, which is all that changes. */
function replaced(
  residual: StarPlanes,
  stars: readonly PointStar[],
  others: readonly PointStar[],
  sigmas: readonly Float32Array[],
  kernels: Kernels,
): PointStar[] {
  const { width, height, planes } = residual;
  const all = [...stars, ...others];
  const ends = (of: number[]) => [Math.floor(Math.min(...of)) - REACH, Math.ceil(Math.max(...of)) + REACH];
  const [[left, right], [top, bottom]] = [ends(all.map(({ x }) => x)), ends(all.map(({ y }) => y))];
  const whole = { x: 0, y: 0, width, height };
  const near = intersectRegions({ x: left, y: top, width: right - left + 1, height: bottom - top + 1 }, whole);
  const cut = (of: readonly Float32Array[]) => of.map((plane) => cropPlane(plane, width, near));
  const moved = (of: readonly PointStar[], by: number) =>
    of.map((star) => ({ ...star, x: star.x + by * near.x, y: star.y + by * near.y }));
  const on = { ...residual, planes: cut(planes), width: near.width, height: near.height };
  kernels.drawStars(on, moved(stars, -1), 1);
  kernels.drawStars(on, moved(others, -1), -1);
  const solved = kernels.solveStars(on, moved(others, -1), { sigmas: cut(sigmas), rounds: 3 });
  on.planes.forEach((plane, c) => pastePlane(planes[c], width, plane, near));
  return moved(solved, 1);
}

/** Indices of stars that are linked by steps of at most `link` px, or of less where they would be more than `most`. */
function groupsOf(stars: readonly PointStar[], link: number, most: number): number[][] {
  const cells = new Map<string, number[]>();
  const cellOf = (x: number, y: number) => `${String(Math.floor(x / link))},${String(Math.floor(y / link))}`;
  stars.forEach(({ x, y }, k) => {
    const at = cellOf(x, y);
    cells.set(at, [...(cells.get(at) ?? []), k]);
  });
  const seen = new Set<number>();
  return stars.flatMap((_, first) => {
    if (seen.has(first)) return [];
    seen.add(first);
    const group = [first];
    // The list grows while it is walked.
    for (const k of group)
      for (let v = -1; v <= 1; v++)
        for (let u = -1; u <= 1; u++)
          for (const other of cells.get(cellOf(stars[k].x + u * link, stars[k].y + v * link)) ?? []) {
            if (seen.has(other) || Math.hypot(stars[other].x - stars[k].x, stars[other].y - stars[k].y) > link)
              continue;
            seen.add(other);
            group.push(other);
          }
    // Stars in one place cannot be distinguished by shorter links.
    if (group.length <= most || link < LEAST_LINK_PX) return [group];
    return groupsOf(
      group.map((k) => stars[k]),
      LINKED_LESS * link,
      most,
    ).map((part) => part.map((k) => group[k]));
  });
}

interface Explanation {
  as: readonly Point[] | "knot" | "as they are";
  cost: number;
}

function simplestOf(patch: Patch, members: readonly PointStar[], fwhm: number, kernels: Kernels): Explanation["as"] {
  const { x0, y0, sigma, height } = patch;
  const lights = members.map(lightOf);
  const total = lights.reduce((a, b) => a + b, 0);
  const found = members
    .map((star, k): Point => ({ x: star.x - x0, y: star.y - y0, h: (height * lights[k]) / total }))
    .sort((p, q) => q.h - p.h);
  const at = { x: 0, y: 0 };
  for (const { x, y, h } of found) {
    at.x += (x * h) / height;
    at.y += (y * h) / height;
  }
  let axis: number;
  if (members.length === 1) {
    const out = height < LEAST_HEIGHT * sigma ? null : drawnOut(patch, at);
    if (!out || out.gain < LEAST_GAIN) return "as they are";
    ({ axis } = out);
  } else axis = axisOf(found, at);
  const [dx, dy] = [0.4 * fwhm * Math.cos(axis), 0.4 * fwhm * Math.sin(axis)];
  const halves = [1, -1].map((s) => ({ x: at.x + s * dx, y: at.y + s * dy, h: 0.6 * height }));
  const starts = [halves];
  if (found.length > 1) starts.push([{ ...at, h: height }]);
  if (found.length > 2) starts.push(found.slice(0, 2), found.slice(0, 3));
  // What was found is solved together already.
  let best: Explanation = { as: "as they are", cost: restOf(patch) + FOR_EACH_VALUE * 3 * found.length };
  if (!areApart(found, fwhm)) best.cost = Infinity;
  for (const start of starts) {
    const points = fitPoints(patch, start, kernels);
    if (!areApart(points.stars, fwhm)) continue;
    if (start.length > members.length && points.cost > EXPLAINED * patch.data.length) continue;
    const cost = points.cost + FOR_EACH_VALUE * 3 * start.length;
    if (cost < best.cost) best = { as: points.stars, cost };
  }
  const wide = fitWide(patch, at, fwhm, kernels);
  return wide && wide.cost + FOR_EACH_VALUE * 7 < best.cost ? "knot" : best.as;
}

/** The axis along which points lie. */
function axisOf(points: readonly Point[], at: { x: number; y: number }): number {
  let [even, odd] = [0, 0];
  for (const { x, y, h } of points) {
    even += h * ((x - at.x) ** 2 - (y - at.y) ** 2);
    odd += h * 2 * (x - at.x) * (y - at.y);
  }
  return 0.5 * Math.atan2(odd, even);
}

function areApart(points: readonly Point[], fwhm: number): boolean {
  return points.every((p, k) =>
    points.slice(k + 1).every((q) => {
      const apart = Math.hypot(p.x - q.x, p.y - q.y) / fwhm;
      if (apart > 1) return true;
      const spread = (p.h * q.h * apart * apart) / (p.h + q.h) ** 2;
      return spread > LEAST_SPREAD && Math.min(p.h, q.h) > LEAST_RATIO * Math.max(p.h, q.h);
    }),
  );
}
