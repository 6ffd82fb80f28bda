import { levenbergMarquardt } from "../../numeric/leastSquares";
import { profileAt } from "../stars/contract";
import type { FitKernels } from "./contract";
import { checkSquare } from "./contract";

/**
 * An elliptical Moffat p (1 + A dx² + 2 B dx dy + C dy²)^−β at a place, its values from `from` on: p, x, y, A, B, C, β. Its slopes by them, `weight` times, go into the same places of `gradient`.
 */
function ellipticMoffat(p: Float64Array, from: number, x: number, y: number, weight: number, gradient: Float64Array) {
  const [height, x0, y0, a, b, c, beta] = p.subarray(from, from + 7);
  const [dx, dy] = [x - x0, y - y0];
  const t = 1 + a * dx * dx + 2 * b * dx * dy + c * dy * dy;
  const log = Math.log(t);
  const shape = Math.exp(-beta * log);
  const value = height * shape;
  const slope = (-beta * weight * value) / t;
  const slopes = [
    weight * shape,
    slope * -2 * (a * dx + b * dy),
    slope * -2 * (b * dx + c * dy),
    slope * dx * dx,
    slope * 2 * dx * dy,
    slope * dy * dy,
    -weight * value * log,
  ];
  gradient.set(slopes, from);
  return value;
}

export const fitsPlain: FitKernels = {
  fitPoints(square, { profiles, shares }, start, settings) {
    const { side, data, inverse } = square;
    const n = (start.length - 3) / 3;
    checkSquare(square, start.length, Number.isInteger(n) && n > 0 && shares.length === profiles.length);
    const middle = (side - 1) / 2;
    const stars = Array.from({ length: n }, (_, k) => 3 + 3 * k);
    return levenbergMarquardt(
      data,
      start,
      (p, i, gradient) => {
        const [u, v, w] = [(i % side) - middle, Math.floor(i / side) - middle, inverse[i]];
        gradient.set([w, w * u, w * v]);
        let value = p[0] + p[1] * u + p[2] * v;
        for (const k of stars) {
          const [dx, dy, h] = [u + middle - p[k], v + middle - p[k + 1], p[k + 2]];
          let [own, ownX, ownY] = [0, 0, 0];
          profiles.forEach((profile, c) => {
            const [raw, more] = profileAt(profile, dx, dy);
            const slope = (-2 * profile.beta * shares[c] * raw) / more;
            own += shares[c] * raw;
            ownX += slope * (profile.a * dx + profile.b * dy);
            ownY += slope * (profile.b * dx + profile.c * dy);
          });
          value += h * own;
          gradient.set([-w * h * ownX, -w * h * ownY, w * own], k);
        }
        return w * value;
      },
      (p) =>
        stars.every((k) => p[k + 2] > 0 && Math.abs(p[k] - middle) < middle && Math.abs(p[k + 1] - middle) < middle),
      settings,
    );
  },
  fitPeak(square, { slopes, x, y, leashPx }, start, settings) {
    const { side, data, inverse } = square;
    const levels = slopes ? 3 : 1;
    checkSquare(square, start.length, start.length === levels + 7);
    const middle = (side - 1) / 2;
    return levenbergMarquardt(
      data,
      start,
      (p, i, gradient) => {
        const [u, v, w] = [i % side, Math.floor(i / side), inverse[i]];
        gradient[0] = w;
        if (slopes) gradient.set([w * (u - middle), w * (v - middle)], 1);
        const level = slopes ? p[0] + p[1] * (u - middle) + p[2] * (v - middle) : p[0];
        return w * (level + ellipticMoffat(p, levels, u, v, w, gradient));
      },
      (p) => {
        const [height, px, py, a, b, c, beta] = p.subarray(levels, levels + 7);
        return (
          height > 0 && a > 0 && a * c - b * b > 0 && beta > 1.05 && beta < 20 && Math.hypot(px - x, py - y) < leashPx
        );
      },
      settings,
    );
  },
};
