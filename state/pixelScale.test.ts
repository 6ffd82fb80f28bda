import { IDENTITY, linear } from "@/core/register";
import type { ProjectRecord, StackRecord, SubRecord } from "@/storage";
import { arcsecPerPx, projectScale } from "./pixelScale";

const project = { calibration: { settings: {} } } as unknown as ProjectRecord;
const sub = (id: string, focalLengthMm: number | null) =>
  ({
    id,
    measuredThrough: null,
    metadata: { pixelSizeUm: 4, focalLengthMm, binning: 2, cfa: null },
  }) as unknown as SubRecord;
const stack = (id: string, part: object): StackRecord =>
  ({
    id,
    brought: null,
    settings: { method: "stack", drizzle: "no" },
    toProject: IDENTITY,
    report: { subs: [{ id: "p" }] },
    facts: { width: 100, height: 80 },
    ...part,
  }) as unknown as StackRecord;

test("arcsec to a pixel by the cards of a sub, by a file's header, or over the stars that stacks share", () => {
  const made = stack("s", {});
  // 206264.8 × 8 µm over 500 mm.
  const expected = (206264.806 * 8e-3) / 500;
  expect(arcsecPerPx(made, { project, subs: [sub("p", 500)], stacks: [made] })).toBeCloseTo(expected, 5);
  expect(arcsecPerPx(made, { project, subs: [sub("q", 500), sub("p", null)], stacks: [made] })).toBeNull();
  // Twice as fine pixels, tied by stars: two of its own to one of the project.
  const fine = stack("t", { brought: { arcsecPerPx: null }, toProject: linear([0.5, 0, 0, 0, 0.5, 0]) });
  const known = { project, subs: [sub("p", 500)], stacks: [made, fine] };
  expect(arcsecPerPx(fine, known)).toBeCloseTo(expected / 2, 5);
  // Only the finer one says it: the project's pixels follow from it.
  const told = stack("t", { brought: { arcsecPerPx: 0.7 }, toProject: fine.toProject });
  expect(projectScale({ project, subs: [], stacks: [made, told] })).toBeCloseTo(1.4, 9);
  expect(projectScale({ project, subs: [], stacks: [made] })).toBeNull();
});
