import type { z } from "zod";
import { RECORD_VERSION } from "./records";

/** One step of a record's history: from `from` to `from + 1`. Ordered; none is ever removed or changed. */
interface Migration {
  from: number;
  store: string;
  run(record: Record<string, unknown>): Record<string, unknown>;
}

const MIGRATIONS: readonly Migration[] = [
  {
    // Subs became frames of any type and format; being included became a decision.
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
];

export type ReadResult<T> = { ok: true; value: T } | { ok: false; reason: "newer" | "damaged"; detail: string };

/** Brings a stored record to the current version and checks it. Nothing is changed in the store. */
export function readRecord<T>(store: string, schema: z.ZodType<T>, raw: unknown): ReadResult<T> {
  let record = raw as Record<string, unknown>;
  const version = typeof record?.version === "number" ? record.version : 0;
  if (version > RECORD_VERSION)
    return {
      ok: false,
      reason: "newer",
      detail: `${store} record of version ${version}, this application knows ${RECORD_VERSION}`,
    };
  for (let v = version; v < RECORD_VERSION; v++) {
    const migration = MIGRATIONS.find((m) => m.store === store && m.from === v);
    record = migration ? migration.run(record) : { ...record, version: v + 1 };
  }
  const parsed = schema.safeParse(record);
  if (parsed.success) return { ok: true, value: parsed.data };
  const issue = parsed.error.issues[0];
  return {
    ok: false,
    reason: "damaged",
    detail: `${store} record ${String(record?.id)}: ${issue.path.join(".")}: ${issue.message}`,
  };
}
