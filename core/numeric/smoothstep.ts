/** 0 up to `from`, 1 beyond `to`, rising smoothly between (a step where they are one): 3 t² − 2 t³. */
export function smoothstep(value: number, from: number, to: number): number {
  if (!(to > from)) return value >= to ? 1 : 0;
  const t = Math.max(0, Math.min(1, (value - from) / (to - from)));
  return t * t * (3 - 2 * t);
}
