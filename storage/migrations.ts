import type * as z from "zod";
import { withPlacedParameters } from "@/core/chain";
import type { FrameUnit } from "@/core/formats";
import type { Refusal, Result } from "@/core/result";
import { done, refused } from "@/core/result";
import type { Matrix, Warp } from "@/core/register";
import { linear } from "@/core/register";
import { RECORD_VERSION } from "./records";

/** One step of a record's history: from `from` to `from + 1`. Ordered; none is ever removed or changed. */
interface Migration {
  /** Never changed, so that it can be spoken of. */
  name: string;
  from: number;
  store: string;
  run(record: Record<string, unknown>): Record<string, unknown>;
}

/** Units as they were presumed before they were told: 8 and 16-bit integers on their full scale, all else as shares. */
function presumedUnit(bitpix: unknown): FrameUnit {
  const fullScale = bitpix === 8 ? 255 : bitpix === 16 ? 65535 : 1;
  const from = { name: "sample type", fullScale: "sample type", saturation: "95 % of full scale" };
  const name = fullScale === 1 ? "share" : "ADU";
  return { name, storedPerUnit: fullScale, fullScale, saturation: 0.95 * fullScale, electronsPerAdu: null, from };
}

/** Measures that have another id since version 4. */
const renamedMeasure = (id: unknown): unknown =>
  id === "transmission" ? "starlight" : id === "boxGradient" ? "patchDifference" : id;

/** A 2 × 3 matrix of before version 5 as a warp; null where there was none. */
const warpOf = (matrix: unknown): Warp | null =>
  Array.isArray(matrix) && matrix.length === 6 ? linear(matrix as Matrix) : null;

const stepsWithParameters = (steps: unknown): unknown =>
  Array.isArray(steps) ? steps.map(withPlacedParameters) : steps;

/** Until version 5 every display was an arcsinh. */
const displayOf6 = (params: unknown) => ({ curve: "arcsinh", params: params ?? {} });

const lanesOf6 = (lanes: unknown): unknown =>
  Array.isArray(lanes)
    ? lanes.map(({ display, steps, ...lane }: Record<string, unknown>) => ({
        ...lane,
        steps: stepsWithParameters(steps),
        ...(display === undefined ? {} : { display: displayOf6(display) }),
      }))
    : lanes;

export const MIGRATIONS: readonly Migration[] = [
  {
    // Subs became frames of any type and format; being included became a decision.
    name: "subs-of-any-format",
    from: 1,
    store: "subs",
    run: ({ included, pixelScale: _, ...sub }) => ({
      ...sub,
      version: 2,
      type: "light",
      fileId: sub.id,
      frame: 0,
      timeMs: null,
      decision: included === false ? "reject" : null,
      candidate: false,
      format: "fits",
      typed: [],
      video: null,
      measuredThrough: null,
      measuredSize: { width: sub.width, height: sub.height, channels: sub.channels },
      relation: null,
      boxes: null,
    }),
  },
  {
    // Frames carry their unit. What floats are is found when they are measured again.
    name: "subs-carry-units",
    from: 2,
    store: "subs",
    run: (sub) => ({ ...sub, version: 3, unit: presumedUnit(sub.bitpix) }),
  },
  {
    // The sky gradient is measured in σ, no longer in % of the level: limits in % would mean something else.
    name: "gradient-rules-off",
    from: 2,
    store: "projects",
    run: (project) => ({
      ...project,
      version: 3,
      rules: (Array.isArray(project.rules) ? project.rules : []).map((rule: { measure?: unknown }) =>
        rule.measure === "gradient" ? { ...rule, on: false } : rule,
      ),
    }),
  },
  {
    // Candidates became one rival, boxes became sky patches, transmission became starlight.
    name: "rivals-and-patches",
    from: 3,
    store: "subs",
    run: ({ candidate, boxes, ...sub }) => ({ ...sub, version: 4, rival: candidate === true, patches: boxes ?? null }),
  },
  {
    name: "patches-and-starlight",
    from: 3,
    store: "projects",
    run: ({ boxes, columns, rules, ...project }) => ({
      ...project,
      version: 4,
      ...(boxes === undefined ? {} : { patches: boxes }),
      ...(Array.isArray(columns) ? { columns: columns.map(renamedMeasure) } : {}),
      ...(Array.isArray(rules)
        ? { rules: rules.map((rule: { measure?: unknown }) => ({ ...rule, measure: renamedMeasure(rule.measure) })) }
        : {}),
    }),
  },
  {
    // Where a frame lies in another is a warp of some kind; until then it was always a 2 × 3 matrix.
    name: "relations-as-warps",
    from: 4,
    store: "subs",
    run: (sub) => {
      const relation = sub.relation as { value: { toReference: unknown } | null } | null;
      if (!relation?.value) return { ...sub, version: 5 };
      const value = { ...relation.value, toReference: warpOf(relation.value.toReference) };
      return { ...sub, version: 5, relation: { ...relation, value } };
    },
  },
  {
    name: "stacks-tied-by-warps",
    from: 4,
    store: "stacks",
    run: ({ toProject, report, ...stack }) => {
      const { subs = [], ...rest } = (report ?? {}) as { subs?: { transform: unknown }[] };
      const listed = subs.map(({ transform, ...sub }) => ({ ...sub, toReference: warpOf(transform) }));
      return { ...stack, version: 5, toProject: warpOf(toProject), report: { ...rest, subs: listed } };
    },
  },
  {
    // Patches of sky and stars left out became parameters of their steps; the display names its curve.
    name: "placed-parameters-and-displays-of-boards",
    from: 5,
    store: "boards",
    run: ({ board, ...record }) => {
      const { lanes, removed, display, ...rest } = (board ?? {}) as Record<string, unknown>;
      const moved = { ...rest, lanes: lanesOf6(lanes), ...(removed ? { removed: lanesOf6(removed) } : {}) };
      return { ...record, version: 6, board: { ...moved, display: displayOf6(display) } };
    },
  },
  {
    name: "placed-parameters-of-chains",
    from: 5,
    store: "chains",
    run: ({ steps, ...chain }) => ({ ...chain, version: 6, steps: stepsWithParameters(steps) }),
  },
];

export type ReadResult<T> = Result<T, Refusal<"newer" | "damaged">>;

/** Brings a stored record to the current version and checks it. Nothing is changed in the store. */
export function readRecord<T>(store: string, schema: z.ZodType<T>, raw: unknown): ReadResult<T> {
  let record = raw as Record<string, unknown>;
  const version = typeof record?.version === "number" ? record.version : 0;
  if (version > RECORD_VERSION)
    return refused("newer", `${store} record of version ${version}, this application knows ${RECORD_VERSION}`);
  for (let v = version; v < RECORD_VERSION; v++) {
    const migration = MIGRATIONS.find((m) => m.store === store && m.from === v);
    record = migration ? migration.run(record) : { ...record, version: v + 1 };
  }
  const parsed = schema.safeParse(record);
  if (parsed.success) return done(parsed.data);
  const issue = parsed.error.issues[0];
  return refused("damaged", `${store} record ${String(record?.id)}: ${issue.path.join(".")}: ${issue.message}`);
}
