/** Share of pairs in which a place with something planted stands higher than one without. */
export function areaUnderCurve(planted: readonly number[], plain: readonly number[]): number {
  let sum = 0;
  for (const p of planted) for (const q of plain) sum += p > q ? 1 : p === q ? 0.5 : 0;
  return sum / planted.length / plain.length;
}

const round = (r: number, width: number) => Math.exp(-(r * r) / (2 * width * width));
/** Structures that are planted in a lane or taken out of it: height by place, px from the middle. */
export const FORMS: [string, (x: number, y: number) => number][] = [
  ["point", (x, y) => round(Math.hypot(x, y), 1.3)],
  ["soft blob", (x, y) => round(Math.hypot(x, y), 4)],
  ["filament", (x, y) => (Math.abs(x) < 12 ? round(y, 1.5) : 0)],
  ["ring", (x, y) => round(Math.hypot(x, y) - 7, 1.3)],
];
