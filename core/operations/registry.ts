import { richardsonLucy } from "./deconvolve/richardsonLucy";
import { starletShrinkage } from "./noise/starletShrinkage";
import type { AnyOperation } from "./operation";
import { arcsinhStretch } from "./stretch/arcsinhStretch";

/** Every operation that a chain may hold, in the order in which they are offered. A new one is one line here. */
export const OPERATIONS: readonly AnyOperation[] = [starletShrinkage, richardsonLucy, arcsinhStretch];

export function findOperation(id: string): AnyOperation | undefined {
  return OPERATIONS.find((operation) => operation.id === id);
}
