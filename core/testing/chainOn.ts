import type { ChainStep } from "../chain";
import { idleReason, measureChain, newStep, readySteps, runChain } from "../chain";
import { quietJob } from "../job";
import type { AnyOperation } from "../operations";
import { findOperation } from "../operations";
import type { Raster } from "../raster";
import { frameOfRaster, wholeRegion } from "../raster";
import { wasmKernels } from "./fixtures";

/** A step of a registered operation, some settings of it others than the defaults. */
export function stepOf(id: string, params: Record<string, unknown> = {}): ChainStep {
  const fresh = newStep(findOperation(id) as AnyOperation);
  return { ...fresh, params: { ...fresh.params, ...params } };
}

/** What one step makes of a picture with its halves, and why it does nothing where it does not. */
export async function afterStep(
  of: { picture: Raster; a: Raster; b: Raster },
  step: ChainStep,
): Promise<{ out: Raster; reason: string | null }> {
  const job = quietJob(wasmKernels());
  const halves = { a: frameOfRaster(of.a), b: frameOfRaster(of.b) };
  const fill = of.picture.planes.map(() => 0);
  const input = { picture: frameOfRaster(of.picture), halves, fill, fullScale: 1 };
  const facts = await measureChain(input, [step], job);
  const out = await runChain(input.picture, readySteps([step], facts), wholeRegion(of.picture), fill, job);
  return { out, reason: idleReason(step, facts[0]) };
}
