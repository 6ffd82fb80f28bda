import * as z from "zod";
import type { Result } from "../result";
import { mask, placedMask } from "../mask";
import type { AnyOperation } from "../operations";
import type { Warp } from "../register";
import { CHANNEL_MODES, findOperation, constant as levelOperation } from "../operations";
import { placedValues } from "../parameters";

/** One step of a chain; its parameters are checked against the operation's own schema by `parseChain`. */
export const chainStep = z.object({
  operation: z.string(),
  version: z.number().int().min(1),
  params: z.record(z.string(), z.unknown()),
  channels: z.enum(CHANNEL_MODES),
  /** 0 keeps the picture as it was, 1 is the full effect. */
  blend: z.number().min(0).max(1),
  on: z.boolean(),
  /** Where it acts; null for everywhere. */
  mask: mask.nullable().default(null),
});
export type ChainStep = z.infer<typeof chainStep>;

export const CHAIN_FORMAT = "dunkel-chain";
/** Version 1 knew no masks; in version 2 patches of sky and stars left out were no parameters. */
export const CHAIN_VERSION = 3;
const chainFile = z.object({
  format: z.literal(CHAIN_FORMAT),
  version: z.number().int().min(1),
  name: z.string().default(""),
  steps: z.array(chainStep).max(40),
});
export type ChainFile = z.infer<typeof chainFile>;

/** What a file of an older version is in the next one, by that older version. Version 1 is the first. */
const FILE_MIGRATIONS: Readonly<Record<number, (file: Record<string, unknown>) => Record<string, unknown>>> = {
  2: ({ steps, ...file }) => ({ ...file, steps: Array.isArray(steps) ? steps.map(withPlacedParameters) : steps }),
};

/** A step of before version 3: its patches of sky and the stars left out become parameters. */
export function withPlacedParameters(step: unknown): unknown {
  if (typeof step !== "object" || step === null) return step;
  const { sky, dropped, params, ...rest } = step as Record<string, unknown>;
  const { patches, tellNoise } = (sky ?? {}) as Record<string, unknown>;
  const placed = {
    ...(patches === undefined ? {} : { skyPatches: { patches, forNoise: tellNoise === true } }),
    ...(Array.isArray(dropped) && dropped.length > 0 ? { droppedStars: dropped } : {}),
  };
  return { ...rest, params: { ...(params as object), ...placed } };
}

/** A file of any older version as one of version `to`; anything else as it is. */
export function migratedFile(json: unknown, migrations = FILE_MIGRATIONS, to = CHAIN_VERSION): unknown {
  const known = chainFile.pick({ format: true, version: true }).safeParse(json);
  if (!known.success) return json;
  let file = json as Record<string, unknown>;
  for (let version = known.data.version; version < to; version++)
    file = { ...(migrations[version]?.(file) ?? file), version: version + 1 };
  return file;
}

/** A step of an older version of its operation as one of today's. */
export function migratedStep(
  step: ChainStep,
  operation: Pick<AnyOperation, "version" | "migrations"> | undefined = findOperation(step.operation),
): ChainStep {
  let { params } = step;
  if (!operation || step.version >= operation.version) return step;
  for (let version = step.version; version < operation.version; version++)
    params = operation.migrations?.[version]?.(params) ?? params;
  return { ...step, version: operation.version, params };
}

/** A chain that cannot be used: which field, what is wrong, what to do. */
export class ChainError extends Error {
  constructor(
    readonly field: string,
    detail: string,
    readonly advice: string,
  ) {
    super(`${field}: ${detail}. ${advice}`);
    this.name = "ChainError";
  }
}

/** A new step of an operation with its defaults. */
export function newStep(operation: AnyOperation): ChainStep {
  return {
    operation: operation.id,
    version: operation.version,
    params: { ...operation.parameters.defaults },
    channels: operation.channels[0],
    blend: 1,
    on: true,
    mask: null,
  };
}

/** A step whose mask and placed parameters belong to one picture, on another: `warp` leads from the first's pixels to the other's. */
export function placedStep<S extends ChainStep>(step: S, warp: Warp): S {
  const operation = findOperation(step.operation);
  return {
    ...step,
    mask: step.mask && placedMask(step.mask, warp),
    params: operation ? placedValues(operation.parameters, step.params, warp) : step.params,
  };
}

/** A chain that shows a mask instead of the picture: 1 where it means all, 0 where nothing. */
export const chainOfMask = (mask: NonNullable<ChainStep["mask"]>): ChainStep[] =>
  [null, mask].map((own, level) => ({ ...newStep(levelOperation), params: { level }, mask: own }));

/**
 * Checks a chain file that was read as JSON: its shape, that every operation is known in that version or an older one, and
 * every parameter against the operation's own schema (missing ones take their defaults).
 */
export function parseChain(json: unknown): Result<ChainFile, ChainError> {
  const file = chainFile.safeParse(migratedFile(json));
  if (!file.success) {
    const issue = file.error.issues[0];
    return fail(
      issue.path.join(".") || "file",
      issue.message,
      "Choose a chain that was exported here, or mend this field.",
    );
  }
  if (file.data.version > CHAIN_VERSION)
    return fail(
      "version",
      `the file has version ${file.data.version}, this is ${CHAIN_VERSION}`,
      "Update this application.",
    );
  const steps: ChainStep[] = [];
  for (const [i, step] of file.data.steps.entries()) {
    const operation = findOperation(step.operation);
    if (!operation)
      return fail(
        `steps.${i}.operation`,
        `unknown operation “${step.operation}”`,
        "Remove the step or update this application.",
      );
    if (step.version > operation.version)
      return fail(
        `steps.${i}.version`,
        `version ${step.version} is newer than ${operation.version}`,
        "Update this application.",
      );
    if (!operation.channels.includes(step.channels))
      return fail(`steps.${i}.channels`, `must be one of ${operation.channels.join(", ")}`, "Choose one of them.");
    const current = migratedStep(step, operation);
    const params = operation.parameters.schema.safeParse(current.params);
    if (!params.success) {
      const issue = params.error.issues[0];
      return fail(`steps.${i}.params.${issue.path.join(".")}`, issue.message, "Mend this field.");
    }
    steps.push({ ...current, params: params.data as Record<string, unknown> });
  }
  return { ok: true, value: { ...file.data, steps } };
}

function fail(field: string, detail: string, advice: string): { ok: false; reason: ChainError } {
  return { ok: false, reason: new ChainError(field, detail, advice) };
}

/** The chain as a file; deterministic, two spaces of indentation. */
export function chainToJson(name: string, steps: ChainStep[]): string {
  return JSON.stringify({ format: CHAIN_FORMAT, version: CHAIN_VERSION, name, steps } satisfies ChainFile, null, 2);
}
