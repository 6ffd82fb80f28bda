import type { JobHandle } from "../job";
import { partOfJob, UserError } from "../job";
import type { AnyOperation } from "../operations";
import { findOperation } from "../operations";
import type { FrameSource, Raster, Region } from "../raster";
import { cropRaster, growRegion, intersectRegions, wholeRegion } from "../raster";
import { joinFromMode, splitForMode } from "./channels";
import type { ChainStep } from "./schema";

/** A step ready to run: its operation, and one context for each picture that its mode works on. */
export interface ReadyStep {
  operation: AnyOperation;
  step: ChainStep;
  contexts: unknown[];
}

/** Looks up the operations of the steps that are on and puts their contexts with them. Throws UserError for unknown ones. */
export function readySteps(steps: ChainStep[], contexts: (unknown[] | null)[]): ReadyStep[] {
  return steps.flatMap((step, i) => {
    if (!step.on) return [];
    const operation = findOperation(step.operation);
    if (!operation) throw new UserError(`unknown operation “${step.operation}”`, "Remove the step from the chain.");
    const parsed = contexts[i]?.map((context) => operation.context.parse(context));
    if (!parsed) throw new UserError(`${operation.title} was not prepared`, "Prepare the chain before it runs.");
    return [
      {
        operation,
        step: { ...step, params: operation.params.parse(step.params) as ChainStep["params"] },
        contexts: parsed,
      },
    ];
  });
}

/**
 * The same steps for one of the halves, whose noise is √2 times that of the stack. Treated so, (A − B)/2 carries what noise
 * the treatment leaves in the stack, for treatments that act on a picture according to its noise.
 */
export function stepsForHalves(steps: ReadyStep[]): ReadyStep[] {
  return steps.map((ready) => ({
    ...ready,
    contexts: ready.contexts.map((context) => ready.operation.withNoise(context, Math.SQRT2)),
  }));
}

/** Pixels of surroundings that a whole chain needs: the sum over its steps. */
export function chainHalo(steps: ReadyStep[]): number {
  return steps.reduce((sum, step) => sum + stepHalo(step), 0);
}

function stepHalo({ operation, step, contexts }: ReadyStep): number {
  return Math.max(0, ...contexts.map((context) => operation.halo(step.params, context)));
}

/**
 * Runs a chain on a region of a picture and gives the same pixels as the whole-picture run (to each operation's bound): the
 * region is read with the halo of all steps, clamped to the picture, and shrinks by each step's halo after it. Missing
 * pixels (NaN) are filled with `fill` (one level a channel, the same for every region) before the first step and put back
 * after the last.
 */
export async function runChain(
  source: FrameSource,
  steps: ReadyStep[],
  region: Region,
  fill: number[],
  job: JobHandle,
): Promise<Raster> {
  const whole = wholeRegion(source);
  let rest = chainHalo(steps);
  let area = intersectRegions(growRegion(region, rest), whole);
  const original = await source.read(area);
  let current = fillGaps(original, fill);
  const gaps = current === original ? null : cropRaster(original, relative(region, area));
  for (const [i, ready] of steps.entries()) {
    await job.breathe();
    const result = await runStep(current, ready, fill, partOfJob(job, i / steps.length, (i + 1) / steps.length));
    rest -= stepHalo(ready);
    const next = intersectRegions(growRegion(region, rest), whole);
    current = cropRaster(result, relative(next, area));
    area = next;
  }
  const out = steps.length === 0 ? cropRaster(current, relative(region, area)) : current;
  job.progress(1);
  return gaps ? withGaps(out, gaps) : out;
}

/** The picture with NaN where `gaps` has it. */
function withGaps(raster: Raster, gaps: Raster): Raster {
  const planes = raster.planes.map((plane, c) => {
    const missing = gaps.planes[c];
    const out = plane.slice();
    for (let i = 0; i < out.length; i++) if (missing[i] !== missing[i]) out[i] = NaN;
    return out;
  });
  return { ...raster, planes };
}

async function runStep(
  raster: Raster,
  { operation, step, contexts }: ReadyStep,
  fill: number[],
  job: JobHandle,
): Promise<Raster> {
  if (step.blend === 0) return raster;
  const pictures = splitForMode(raster, step.channels);
  const results: Raster[] = [];
  for (const [i, picture] of pictures.entries())
    results.push(await operation.run(picture, step.params, contexts[i], job));
  const sigma = (contexts.length > 0 && operation.noiseOf(contexts[0])?.[0]) || 0;
  const result = joinFromMode(raster, results, step.channels, fill, sigma);
  if (step.blend === 1) return result;
  const planes = result.planes.map((plane, c) => {
    const before = raster.planes[c];
    const out = new Float32Array(plane.length);
    for (let i = 0; i < out.length; i++) out[i] = before[i] + step.blend * (plane[i] - before[i]);
    return out;
  });
  return { ...result, planes };
}

function relative(region: Region, area: Region): Region {
  return { ...region, x: region.x - area.x, y: region.y - area.y };
}

/** The Raster itself where it has no NaN, else a copy with its gaps filled. */
export function fillGaps(raster: Raster, fill: number[]): Raster {
  if (!raster.planes.some(hasGap)) return raster;
  const planes = raster.planes.map((plane, c) => {
    const out = plane.slice();
    for (let i = 0; i < out.length; i++) if (out[i] !== out[i]) out[i] = fill[c];
    return out;
  });
  return { ...raster, planes };
}

function hasGap(plane: Float32Array): boolean {
  for (let i = 0; i < plane.length; i++) if (plane[i] !== plane[i]) return true;
  return false;
}
