import type { Domain } from "../operations";
import { findOperation } from "../operations";
import type { ChainStep } from "./schema";

/** What a linear picture is after the steps that are on: the one place that knows whether something is stretched. */
export function domainAfter(steps: readonly Pick<ChainStep, "operation" | "on">[]): Exclude<Domain, "either"> {
  let domain: Exclude<Domain, "either"> = "linear";
  for (const { on, operation } of steps) {
    const out = on ? findOperation(operation)?.domainOut : undefined;
    if (out && out !== "either") domain = out;
  }
  return domain;
}

/** Whether step `index` gets what it is not made for: a flag, not a ban. */
export function standsWrong(steps: readonly ChainStep[], index: number): boolean {
  const wanted = findOperation(steps[index].operation)?.domainIn ?? "either";
  return wanted !== "either" && wanted !== domainAfter(steps.slice(0, index));
}
