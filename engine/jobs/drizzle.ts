import { drizzledSize, drizzleScaleOf } from "@/core/drizzle";
import type { StackPlan, StackReport, StackSettings } from "@/core/stack";
import { scaleOfCalibration } from "@/core/calibrate";
import { tilesOf } from "@/core/raster";
import { UserError } from "@/core/job";
import type { FrameRef } from "../frames";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";
import { assemble } from "./assemble";
import type { StripPicture } from "./crop";
import type { StoredStrip, StripStore } from "./strips";
import { draftOf, keptStrips, planeOf } from "./strips";

interface DrizzleRun {
  store: { store: StripStore; key: string; from: number };
  signal?: AbortSignal;
  onProgress: (share: number) => void;
}

/** Rows of a strip at most, and bytes of all that is held for one. */
const MOST_ROWS = 128;
const STRIP_BYTES = 48 * 2 ** 20;

/** The drizzled picture of a plan, of which the ordinary stack is there: it says what lies off in each sub. */
export async function drizzle(
  pool: WorkerPool,
  { frames, settings }: { frames: Map<string, FrameRef>; settings: StackSettings },
  plan: StackPlan,
  stacked: StoredStrip[],
  { store, signal, onProgress }: DrizzleRun,
): Promise<StripPicture & { dither: StackReport["dither"] }> {
  const { width, height } = drizzledSize(plan, drizzleScaleOf(settings) ?? 1);
  const { channels } = plan;
  const planes = (c: number) => stacked.map((strip) => planeOf(strip, c));
  const blob = assemble(plan.width, plan.height, channels, [], [], planes);
  const first = await draftOf(store.store, "first", blob);
  const refs = plan.used.map(({ id }) => dropsOf(frames.get(id) as FrameRef));
  // Not by the memory that is given: a strip that was kept must fit when the stack goes on with another.
  const rows = Math.max(8, Math.min(MOST_ROWS, Math.floor(STRIP_BYTES / (4 * width * (8 * channels + 4)))));
  const [keptPlan, keptFrames] = [pool.keepForJobs(plan), pool.keepForJobs(refs)];
  try {
    const strips = await keptStrips(
      tilesOf({ x: 0, y: 0, width, height }, width, rows),
      store,
      (region, onFraction) =>
        pool.run(
          "drizzleStrip",
          { frames: keptFrames, first, plan: keptPlan, settings, region },
          { priority: PRIORITY.batch, signal, onProgress: onFraction },
        ),
      onProgress,
    );
    const lattice = refs.some(({ calibration }) => calibration?.settings.demosaic === "none") ? 2 : 1;
    const dither = await pool.run(
      "dither",
      { plan: keptPlan, settings, lattice },
      { priority: PRIORITY.batch, signal },
    );
    return { strips, width, height, left: 0, top: 0, dither };
  } finally {
    for (const kept of [keptPlan, keptFrames]) pool.release(kept);
  }
}

/** A frame as its drops are taken: a mosaic as it came from the sensor, calibrated, its colours not interpolated. */
function dropsOf(frame: FrameRef): FrameRef {
  const { calibration } = frame;
  if (!calibration || calibration.pattern === null || calibration.settings.demosaic === "none") return frame;
  if (scaleOfCalibration(calibration.settings, calibration.pattern) !== 1)
    throw new UserError(
      `${frame.name}: its colours were taken together pixel by pixel or binned, so that drizzle has no mosaic to fall from`,
      "Choose a demosaic that keeps all pixels, and no binning.",
    );
  const settings = { ...calibration.settings, demosaic: "none" as const };
  return {
    ...frame,
    id: `${frame.id} mosaic`,
    fileId: frame.fileId ?? frame.id,
    calibration: { ...calibration, settings },
  };
}
