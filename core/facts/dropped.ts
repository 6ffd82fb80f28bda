import type { FactInput } from "./fact";

/** A star within so many px of a dropped place is meant. */
const NEAR_PX = 3;

/** Whether a star of the k-th piece shows of the blur: none that was dropped. */
export const isKept =
  ({ places, dropped }: Pick<FactInput, "places" | "dropped">, k: number) =>
  ({ x, y }: { x: number; y: number }): boolean =>
    dropped.every(([u, v]) => Math.hypot(places[k].x + x - u, places[k].y + y - v) > NEAR_PX);
