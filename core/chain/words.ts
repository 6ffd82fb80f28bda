import { findOperation } from "../operations";
import type { ChainStep } from "./schema";

/** What a chain does, in a few words: each step that is on, with its strength. */
export function chainWords(steps: readonly ChainStep[]): string {
  const words = steps
    .filter((step) => step.on)
    .map((step) => {
      const operation = findOperation(step.operation);
      const field = operation?.can.strength?.field;
      const strength = field === undefined ? undefined : step.params[field];
      return `${operation?.words.short ?? step.operation}${typeof strength === "number" ? ` ${Number(strength.toFixed(2))}` : ""}`;
    });
  return words.length === 0 ? "Untouched" : words.join(" → ");
}
