import { drizzleScaleOf } from "@/core/drizzle";
import { describeWarp } from "@/core/register";
import { calibratedScale } from "@/engine/tasks/subs";
import type { ProjectRecord, StackRecord, SubRecord } from "@/storage";

interface Known {
  project: ProjectRecord;
  subs: readonly SubRecord[];
  stacks: readonly StackRecord[];
}

/** Pixel scale of a stack, arcsec/px: as its file says, else as the cards of its subs do; null where none says it. */
function ownScale({ brought, report, settings }: StackRecord, { project, subs }: Known): number | null {
  if (brought) return brought.arcsecPerPx;
  const ids = new Set(report.subs.map(({ id }) => id));
  for (const { id, metadata, measuredThrough } of subs) {
    if (!ids.has(id)) continue;
    const scale = calibratedScale(metadata, measuredThrough === null ? null : project.calibration.settings);
    if (scale !== null) return scale / (drizzleScaleOf(settings) ?? 1);
  }
  return null;
}

/** Pixels of the project's coordinates to a pixel of the stack, in the middle of it. */
const projectPx = ({ toProject, facts: { width, height } }: StackRecord): number | null =>
  toProject && describeWarp(toProject, width / 2, height / 2).scale;

/** arcsec to a pixel of the project's coordinates, by the first stack that says it; null where none does. */
export function projectScale(known: Known): number | null {
  for (const stack of known.stacks) {
    const [own, px] = [ownScale(stack, known), projectPx(stack)];
    if (own !== null && px !== null) return own / px;
  }
  return null;
}

/** Pixel scale of a stack, arcsec/px: its own, or over those that it is tied to; null where none says it. */
export function arcsecPerPx(stack: StackRecord, known: Known): number | null {
  const own = ownScale(stack, known);
  if (own !== null) return own;
  const [scale, px] = [projectScale(known), projectPx(stack)];
  return scale !== null && px !== null ? scale * px : null;
}
