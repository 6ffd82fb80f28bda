import * as z from "zod";

/**
 * A 2 × 3 matrix [a, b, c, d, e, f] that takes pixel coordinates (x, y) to (a x + b y + c, d x + e y + f); 0-based,
 * pixel centres at integers. Example: [1, 0, 5, 0, 1, −2] moves a picture 5 px right and 2 px up.
 */
export type Matrix = [number, number, number, number, number, number];

const n = z.number();
const matrix = z.tuple([n, n, n, n, n, n]);

const linearWarp = z.object({ kind: z.enum(["shift", "similarity", "affine"]), matrix });

/** A 3 × 3 matrix by rows: (x, y, 1) to homogeneous coordinates of the other frame; its last number is 1. */
const projectiveWarp = z.object({ kind: z.literal("projective"), matrix: z.tuple([n, n, n, n, n, n, n, n, n]) });

/**
 * Both coordinates are polynomials of u = (x − centre x) / radius and v = (y − centre y) / radius; coefficients by rising degree:
 * 1, u, v, u², uv, v², … Where `inverted`, the polynomials lead from the target to the source, and points are mapped by Newton's method.
 */
const polynomialWarp = z.object({
  kind: z.literal("polynomial"),
  degree: z.union([z.literal(2), z.literal(3)]),
  inverted: z.boolean(),
  centre: z.tuple([n, n]),
  radius: z.number().positive(),
  x: z.array(n),
  y: z.array(n),
});

const singleWarp = z.discriminatedUnion("kind", [linearWarp, projectiveWarp, polynomialWarp]);

/** Warps one after the other, the first first. */
const chainWarp = z.object({ kind: z.literal("chain"), warps: z.array(singleWarp).min(2) });

/**
 * Where a pixel of one frame lies in another. Every relation of frames, stacks and crops is a Warp, or null where it is not known; a new
 * kind is a line here and in each `switch` of this file, and a fit in fit.ts.
 */
export const warpSchema = z.discriminatedUnion("kind", [linearWarp, projectiveWarp, polynomialWarp, chainWarp]);
export type Warp = z.infer<typeof warpSchema>;

export type LinearWarp = z.infer<typeof linearWarp>;
export type PolynomialWarp = z.infer<typeof polynomialWarp>;
type SingleWarp = z.infer<typeof singleWarp>;

export const IDENTITY: LinearWarp = { kind: "shift", matrix: [1, 0, 0, 0, 1, 0] };

export const shiftBy = (dx: number, dy: number): LinearWarp => ({ kind: "shift", matrix: [1, 0, dx, 0, 1, dy] });

/** Any 2 × 3 matrix, named for what it does. */
export const linear = (matrix: Matrix): LinearWarp => ({ kind: kindOf(matrix), matrix });

/** From pixels of a picture reduced by r (each the mean of r × r) to those of the picture: r x + (r − 1) / 2. */
export const enlargedBy = (r: number): LinearWarp => linear([r, 0, (r - 1) / 2, 0, r, (r - 1) / 2]);

/** Rotation by `angle` radians (x towards y) about (cx, cy), then a move by (dx, dy). */
export function rotationAbout(angle: number, cx: number, cy: number, dx: number, dy: number): LinearWarp {
  const cos = Math.cos(angle);
  const sin = Math.sin(angle);
  return linear([cos, -sin, cx - cos * cx + sin * cy + dx, sin, cos, cy - sin * cx - cos * cy + dy]);
}

function kindOf([a, b, , d, e]: Matrix): LinearWarp["kind"] {
  if (a === 1 && b === 0 && d === 0 && e === 1) return "shift";
  const near = 1e-12 * (Math.abs(a) + Math.abs(b));
  return Math.abs(a - e) <= near && Math.abs(b + d) <= near ? "similarity" : "affine";
}

/** Terms of a polynomial in two variables. */
export const termsOf = (degree: number): number => ((degree + 1) * (degree + 2)) / 2;

/** 1, u, v, u², uv, v², … up to `degree`, into `out`. */
export function powersInto(out: Float64Array, u: number, v: number, degree: number): void {
  let k = 0;
  for (let d = 0; d <= degree; d++) for (let j = 0; j <= d; j++) out[k++] = u ** (d - j) * v ** j;
}

function polynomialAt({ degree, centre, radius, x: cx, y: cy }: PolynomialWarp, x: number, y: number) {
  const [u, v] = [(x - centre[0]) / radius, (y - centre[1]) / radius];
  let px = 0;
  let py = 0;
  let k = 0;
  for (let d = 0; d <= degree; d++)
    for (let j = 0; j <= d; j++, k++) {
      const power = u ** (d - j) * v ** j;
      px += cx[k] * power;
      py += cy[k] * power;
    }
  return [px, py] as [number, number];
}

/** The first-order matrix of the polynomials at a point. */
function slopeAt(warp: PolynomialWarp, x: number, y: number): [number, number, number, number] {
  const { degree, centre, radius, x: cx, y: cy } = warp;
  const u = (x - centre[0]) / radius;
  const v = (y - centre[1]) / radius;
  const slope: [number, number, number, number] = [0, 0, 0, 0];
  let k = 1;
  for (let d = 1; d <= degree; d++)
    for (let j = 0; j <= d; j++, k++) {
      const du = d - j > 0 ? ((d - j) * u ** (d - j - 1) * v ** j) / radius : 0;
      const dv = j > 0 ? (j * u ** (d - j) * v ** (j - 1)) / radius : 0;
      slope[0] += cx[k] * du;
      slope[1] += cx[k] * dv;
      slope[2] += cy[k] * du;
      slope[3] += cy[k] * dv;
    }
  return slope;
}

/** The point that the polynomials take to (x, y), by Newton's method from `start`; NaN where there is none near. */
function polynomialBack(warp: PolynomialWarp, x: number, y: number, start: [number, number]): [number, number] {
  let [px, py] = start;
  for (let round = 0; round < 20; round++) {
    const [qx, qy] = polynomialAt(warp, px, py);
    const [a, b, c, d] = slopeAt(warp, px, py);
    const determinant = a * d - b * c;
    const dx = (d * (x - qx) - b * (y - qy)) / determinant;
    const dy = (a * (y - qy) - c * (x - qx)) / determinant;
    px += dx;
    py += dy;
    if (Math.abs(dx) + Math.abs(dy) < 1e-9) return [px, py];
  }
  return [NaN, NaN];
}

/** Where a point of the source lies in the target; NaN beyond a horizon (projective) or where a polynomial has no inverse. */
export function mapPoint(warp: Warp, x: number, y: number): [number, number] {
  switch (warp.kind) {
    case "shift":
    case "similarity":
    case "affine": {
      const [a, b, c, d, e, f] = warp.matrix;
      return [a * x + b * y + c, d * x + e * y + f];
    }
    case "projective": {
      const [a, b, c, d, e, f, g, h, i] = warp.matrix;
      const w = g * x + h * y + i;
      return w > 0 ? [(a * x + b * y + c) / w, (d * x + e * y + f) / w] : [NaN, NaN];
    }
    case "polynomial":
      return warp.inverted ? polynomialBack(warp, x, y, centreOfTarget(warp, x, y)) : polynomialAt(warp, x, y);
    case "chain": {
      let at: [number, number] = [x, y];
      for (const single of warp.warps) at = mapPoint(single, ...at);
      return at;
    }
  }
}

/** A first guess for Newton's method: the linear part undone. */
function centreOfTarget(warp: PolynomialWarp, x: number, y: number): [number, number] {
  const { centre, radius, x: cx, y: cy } = warp;
  const determinant = cx[1] * cy[2] - cx[2] * cy[1];
  const [dx, dy] = [x - cx[0], y - cy[0]];
  return [
    centre[0] + (radius * (cy[2] * dx - cx[2] * dy)) / determinant,
    centre[1] + (radius * (cx[1] * dy - cy[1] * dx)) / determinant,
  ];
}

/** A row of `count` points from (x, y) on to the right, mapped into `xs` and `ys`; the same as mapPoint, only quicker. */
export function mapRow(warp: Warp, x: number, y: number, count: number, xs: Float64Array, ys: Float64Array): void {
  if (isLinear(warp)) {
    const [a, b, c, d, e, f] = warp.matrix;
    for (let k = 0; k < count; k++) {
      xs[k] = a * (x + k) + b * y + c;
      ys[k] = d * (x + k) + e * y + f;
    }
    return;
  }
  for (let k = 0; k < count; k++) [xs[k], ys[k]] = mapPoint(warp, x + k, y);
}

export const isLinear = (warp: Warp): warp is LinearWarp =>
  warp.kind === "shift" || warp.kind === "similarity" || warp.kind === "affine";

/** The warp that takes back what `warp` did. Throws RangeError where it is singular. */
export function inverse<W extends Warp>(warp: W): W;
export function inverse(warp: Warp): Warp {
  switch (warp.kind) {
    case "shift":
    case "similarity":
    case "affine": {
      const [a, b, c, d, e, f] = warp.matrix;
      const determinant = a * e - b * d;
      if (!(Math.abs(determinant) > 1e-12)) throw new RangeError("a warp must not be singular");
      return {
        kind: warp.kind,
        matrix: [
          e / determinant,
          -b / determinant,
          (b * f - c * e) / determinant,
          -d / determinant,
          a / determinant,
          (c * d - a * f) / determinant,
        ],
      };
    }
    case "projective": {
      const [a, b, c, d, e, f, g, h, i] = warp.matrix;
      const adjugate = [
        e * i - f * h,
        c * h - b * i,
        b * f - c * e,
        f * g - d * i,
        a * i - c * g,
        c * d - a * f,
        d * h - e * g,
        b * g - a * h,
        a * e - b * d,
      ];
      const determinant = a * adjugate[0] + b * adjugate[3] + c * adjugate[6];
      if (!(Math.abs(determinant) > 1e-12) || adjugate[8] === 0) throw new RangeError("a warp must not be singular");
      return projective(adjugate);
    }
    case "polynomial":
      return { ...warp, inverted: !warp.inverted };
    case "chain":
      return { kind: "chain", warps: [...warp.warps].reverse().map((single) => inverse(single)) };
  }
}

/** A 3 × 3 matrix as a warp, scaled so that its last number is 1. */
export function projective(values: readonly number[]): Extract<Warp, { kind: "projective" }> {
  const last = values[8];
  return {
    kind: "projective",
    matrix: values.map((v) => v / last) as Extract<Warp, { kind: "projective" }>["matrix"],
  };
}

const threeByThree = (warp: SingleWarp): number[] | null =>
  warp.kind === "polynomial" ? null : warp.kind === "projective" ? warp.matrix : [...warp.matrix, 0, 0, 1];

/** First `inner`, then `outer`: one matrix where both have one, else one after the other. */
export function compose(outer: LinearWarp, inner: LinearWarp): LinearWarp;
export function compose(outer: Warp, inner: Warp): Warp;
export function compose(outer: Warp, inner: Warp): Warp {
  const parts = [inner, outer].flatMap((warp) => (warp.kind === "chain" ? warp.warps : [warp]));
  const joined: SingleWarp[] = [];
  for (const next of parts) {
    const last = joined.at(-1);
    const [p, q] = [threeByThree(next), last ? threeByThree(last) : null];
    if (!last || !p || !q) {
      joined.push(next);
      continue;
    }
    const product = [0, 3, 6].flatMap((r) =>
      [0, 1, 2].map((k) => p[r] * q[k] + p[r + 1] * q[k + 3] + p[r + 2] * q[k + 6]),
    );
    joined[joined.length - 1] =
      isLinear(next) && isLinear(last) ? linear(product.slice(0, 6) as Matrix) : projective(product);
  }
  return joined.length === 1 ? joined[0] : { kind: "chain", warps: joined };
}

/** The 2 × 3 matrix that does to first order what the warp does at a point; by central differences where it is not linear. */
export function matrixAt(warp: Warp, x: number, y: number): Matrix {
  if (isLinear(warp)) return warp.matrix;
  const [right, left] = [mapPoint(warp, x + 0.5, y), mapPoint(warp, x - 0.5, y)];
  const [below, above] = [mapPoint(warp, x, y + 0.5), mapPoint(warp, x, y - 0.5)];
  const [px, py] = mapPoint(warp, x, y);
  const [a, b, d, e] = [right[0] - left[0], below[0] - above[0], right[1] - left[1], below[1] - above[1]];
  return [a, b, px - a * x - b * y, d, e, py - d * x - e * y];
}

/** Turn in degrees, scale, and whether the picture is mirrored, at a point, for people to read. */
export function describeWarp(warp: Warp, x = 0, y = 0): { rotationDeg: number; scale: number; isMirrored: boolean } {
  const [a, b, , d, e] = matrixAt(warp, x, y);
  const determinant = a * e - b * d;
  const isMirrored = determinant < 0;
  return {
    rotationDeg: (Math.atan2(isMirrored ? d + b : d - b, isMirrored ? a - e : a + e) * 180) / Math.PI,
    scale: Math.sqrt(Math.abs(determinant)),
    isMirrored,
  };
}

/** A warp on one line, for headers: its kind and its numbers. */
export function warpWords(warp: Warp): string {
  const numbers = (values: readonly number[]) => values.map((v) => v.toPrecision(9)).join(" ");
  switch (warp.kind) {
    case "polynomial":
      return `polynomial of degree ${warp.degree}${warp.inverted ? " from target to source" : ""} centre ${numbers(warp.centre)} radius ${numbers([warp.radius])} x ${numbers(warp.x)} y ${numbers(warp.y)}`;
    case "chain":
      return warp.warps.map(warpWords).join(", then ");
    default:
      return `${warp.kind} ${numbers(warp.matrix)}`;
  }
}
