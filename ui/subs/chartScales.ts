import { extent } from "d3-array";
import type { ScaleLinear } from "d3-scale";
import { scaleLinear } from "d3-scale";
import type { GradedFrame, Measure, Rule } from "@/core/choose";

export const CHART_HEIGHT = 128;
export const MARGIN = { left: 46, right: 14, top: 8, bottom: 16 };

export type LimitRule = Extract<Rule, { kind: "limit" }>;

/** A frame with what two measures say of it. */
export interface ChartPoint {
  frame: GradedFrame;
  x: number;
  y: number;
}

export interface ChartScales {
  x: ScaleLinear<number, number>;
  y: ScaleLinear<number, number>;
}

/** The frames of which both measures say something. */
export const pointsOf = (frames: readonly GradedFrame[], x: Measure, y: Measure): ChartPoint[] =>
  frames.flatMap((frame) => {
    const [u, v] = [x.value(frame), y.value(frame)];
    return u === null || v === null ? [] : [{ frame, x: u, y: v }];
  });

/** Rules that are lines in a chart: limits that are on. */
export const limitsIn = (rules: readonly Rule[]): LimitRule[] =>
  rules.filter((rule): rule is LimitRule => rule.kind === "limit" && rule.on);

/** Values and limits with a little room on both sides; one value alone has room too. */
function range(values: readonly number[], limits: readonly LimitRule[], measure: string): [number, number] {
  const own = limits.filter((limit) => limit.measure === measure).map(({ value }) => value);
  const [low = 0, high = 1] = extent([...values, ...own]);
  const room = high === low ? Math.max(1e-9, Math.abs(high) * 0.05 || 0.5) : (high - low) * 0.06;
  return [low - room, high + room];
}

/** Scales from measures to px of a chart of that width that shows all points and limits. */
export function fittedScales(
  points: readonly ChartPoint[],
  limits: readonly LimitRule[],
  axes: { x: string; y: string },
  width: number,
): ChartScales {
  const [xs, ys] = [points.map(({ x }) => x), points.map(({ y }) => y)];
  return {
    x: scaleLinear(range(xs, limits, axes.x), [MARGIN.left, Math.max(MARGIN.left + 1, width - MARGIN.right)]),
    y: scaleLinear(range(ys, limits, axes.y), [CHART_HEIGHT - MARGIN.bottom, MARGIN.top]),
  };
}

/** A rectangle that is drawn with the pointer, from where it began to where it is, px of the chart. */
export interface Framing {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

/** A shorter drag is a click. */
const CLICK_PX = 4;
export const isClick = ({ x0, y0, x1, y1 }: Framing): boolean => Math.hypot(x1 - x0, y1 - y0) < CLICK_PX;

/** Farther from a click no point is meant. */
const NEAR_PX = 14;

/** The frame whose point is nearest to a place; null where none is near. */
export function nearestTo(
  points: readonly ChartPoint[],
  scales: ChartScales,
  x: number,
  y: number,
): GradedFrame | null {
  let best: GradedFrame | null = null;
  let least = NEAR_PX;
  for (const point of points) {
    const distance = Math.hypot(scales.x(point.x) - x, scales.y(point.y) - y);
    if (distance < least) [best, least] = [point.frame, distance];
  }
  return best;
}

/** The frames whose points lie in a rectangle. */
export function framesIn(points: readonly ChartPoint[], scales: ChartScales, { x0, y0, x1, y1 }: Framing): string[] {
  const isBetween = (v: number, a: number, b: number) => v >= Math.min(a, b) && v <= Math.max(a, b);
  return points
    .filter(({ x, y }) => isBetween(scales.x(x), x0, x1) && isBetween(scales.y(y), y0, y1))
    .map(({ frame }) => frame.id);
}
