import { smoothed } from "../../measure";
import { meanPlane, median, robustSpread } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** An edge rises by so many times the noise. */
const LEAST_RISE = 12;
/** How far to each side of an edge it is looked at, px, and in what steps. */
const [REACH, STEP] = [9, 0.25];
/** Half the length along an edge over which its profile is the mean, px. */
const ALONG = 2;
/** Nearer to a star than so many FWHM an edge is the star's. */
const STAR_FWHM = 3.5;
/** Fewer edges say nothing; more than so many take time only. */
const [FEWEST, MOST] = [12, 400];
/** A plateau is where this share of the middle's slope is left: 2.146 σ from the middle of a Gaussian's edge, between 1.6 and 98.4 % of its rise. */
const FLAT = 0.1;
/** From the way between a fifth and four fifths of what lies between the plateaus (2 · 0.8082 σ) to the FWHM of the Gaussian. */
const TO_FWHM = 2.35482 / 1.6164;
/** What interpolating between pixels adds to the square of the FWHM, px²: 8 ln 2 times the mean of φ(1 − φ). */
const OF_INTERPOLATION = (8 * Math.LN2) / 6;

/** How soft the sharpest steps of light are: limb, craters, dust lanes. */
export const edgeWidth: Measure = {
  id: "edge",
  label: "Edge width",
  unit: "px",
  group: "detail",
  definition:
    "FWHM of the Gaussian blur that makes edges as soft as they are: median over the steepest places (12 σ and more, none within 3.5 FWHM of a star, found in the stack), from the way between a fifth and four fifths of the rise across the edge, the mean over 5 px along it",
  better: "less",
  digits: 2,
  valueOf({ before, after, starsBefore, fwhmPx, job }) {
    const { width, height } = before;
    const plain = meanPlane(before);
    const smooth = smoothed(plain, width, height, 2, job.kernels);
    const fine = job.kernels.starletSmooth(plain, width, height, 0);
    const { sigma } = robustSpread(plain.map((v, i) => (v - fine[i]) / 0.8908));
    const lane = meanPlane(after);
    const rises = steepest(smooth, width, height);
    const widths: number[] = [];
    for (const { x, y, dx, dy, slope } of rises) {
      if (widths.length >= MOST || slope * 4 < LEAST_RISE * sigma) break;
      const isStar =
        fwhmPx !== null && starsBefore.some((star) => Math.hypot(star.x - x, star.y - y) < STAR_FWHM * fwhmPx);
      const found = isStar ? null : widthAcross(lane, width, height, x, y, dx, dy);
      if (found !== null && found.rise > LEAST_RISE * sigma) widths.push(found.fwhmPx);
    }
    return widths.length < FEWEST ? null : finite(median(Float32Array.from(widths)));
  },
};

interface Rise {
  x: number;
  y: number;
  /** Unit vector along which light rises. */
  dx: number;
  dy: number;
  slope: number;
}

/** Places where the slope is steepest across the edge, the steepest first, none within 3 px of another. */
function steepest(plane: Float32Array, width: number, height: number): Rise[] {
  const margin = REACH + ALONG + 1;
  const slopeAt = (x: number, y: number): [number, number] => [
    (plane[y * width + x + 1] - plane[y * width + x - 1]) / 2,
    (plane[(y + 1) * width + x] - plane[(y - 1) * width + x]) / 2,
  ];
  const found: Rise[] = [];
  for (let y = margin; y < height - margin; y++)
    for (let x = margin; x < width - margin; x++) {
      const [gx, gy] = slopeAt(x, y);
      const slope = Math.hypot(gx, gy);
      if (!(slope > 0)) continue;
      const [dx, dy] = [gx / slope, gy / slope];
      const beside = (by: number) => Math.hypot(...slopeAt(Math.round(x + by * dx), Math.round(y + by * dy)));
      if (slope >= beside(1) && slope >= beside(-1) && slope > beside(2) && slope > beside(-2))
        found.push({ x, y, dx, dy, slope });
    }
  found.sort((a, b) => b.slope - a.slope);
  const taken = new Uint8Array(width * height);
  return found.filter(({ x, y }) => {
    for (let v = -2; v <= 2; v++) for (let u = -2; u <= 2; u++) if (taken[(y + v) * width + x + u]) return false;
    taken[y * width + x] = 1;
    return true;
  });
}

/** Width and height of the rise across an edge; null where it does not come to rest on both sides within the reach. */
function widthAcross(
  plane: Float32Array,
  width: number,
  height: number,
  x: number,
  y: number,
  dx: number,
  dy: number,
): { fwhmPx: number; rise: number } | null {
  const at = (px: number, py: number): number => {
    const [u, v] = [Math.floor(px), Math.floor(py)];
    if (u < 0 || v < 0 || u + 1 >= width || v + 1 >= height) return NaN;
    const [p, q] = [px - u, py - v];
    const i = v * width + u;
    return (
      (1 - q) * ((1 - p) * plane[i] + p * plane[i + 1]) + q * ((1 - p) * plane[i + width] + p * plane[i + width + 1])
    );
  };
  const count = Math.round((2 * REACH) / STEP) + 1;
  const profile = Array.from({ length: count }, (_, k) => {
    const t = -REACH + k * STEP;
    let sum = 0;
    for (let s = -ALONG; s <= ALONG; s++) sum += at(x + t * dx - s * dy, y + t * dy + s * dx);
    return sum / (2 * ALONG + 1);
  });
  if (profile.some((v) => !(v === v))) return null;
  // Slopes over a pixel; the steepest near the middle is where the edge is.
  const per = Math.round(1 / STEP);
  const slopes = profile.map((_, k) => profile[Math.min(count - 1, k + per / 2)] - profile[Math.max(0, k - per / 2)]);
  const middle = (count - 1) / 2;
  let top = middle;
  for (let k = middle - 2 * per; k <= middle + 2 * per; k++) if (slopes[k] > slopes[top]) top = k;
  const rest = FLAT * slopes[top];
  let [low, high] = [top, top];
  while (low > 0 && slopes[low] > rest) low--;
  while (high < count - 1 && slopes[high] > rest) high++;
  if (low === 0 || high === count - 1) return null;
  const [dark, bright] = [profile[low], profile[high]];
  const rise = bright - dark;
  const crossing = (share: number): number => {
    const level = dark + share * rise;
    for (let k = low; k < high; k++)
      if (profile[k] <= level && profile[k + 1] > level)
        return k + (level - profile[k]) / (profile[k + 1] - profile[k]);
    return NaN;
  };
  const across = (crossing(0.8) - crossing(0.2)) * STEP * TO_FWHM;
  return { fwhmPx: Math.sqrt(Math.max(0, across * across - OF_INTERPOLATION)), rise };
}
