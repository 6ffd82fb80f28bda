import * as z from "zod";

/** Told by its name: storage may hand over arrays of another realm. */
const doubles = z.custom<Float64Array>((value) => Object.prototype.toString.call(value) === "[object Float64Array]");

/**
 * Many records of one shape as one: what all have in common is kept once, what differs in columns, numbers as typed arrays. So a video of
 * thousands of frames is one record, written and read at once.
 */
export const packedRecords = z.object({
  count: z.number().int().min(0),
  /** The first record; of fields that differ its own value stands here. */
  common: z.unknown(),
  columns: z.array(
    z.object({
      /** Where the values belong: keys and indices from the record down. */
      path: z.array(z.union([z.string(), z.number()])),
      /** Numbers, or whatever else there is, one a record. */
      values: z.union([doubles, z.array(z.unknown())]),
    }),
  ),
});
export type PackedRecords = z.infer<typeof packedRecords>;

type Path = (string | number)[];

const isBranch = (value: unknown): value is Record<string, unknown> | unknown[] =>
  typeof value === "object" && value !== null;

/** Whether values branch alike: all arrays of one length, or all objects with the same keys. */
function branchAlike(values: readonly unknown[]): boolean {
  const [first] = values;
  if (!isBranch(first)) return false;
  const keys = Object.keys(first).join("\n");
  return values.every(
    (value) =>
      isBranch(value) && Array.isArray(value) === Array.isArray(first) && Object.keys(value).join("\n") === keys,
  );
}

/** Packs records; O(size). What is not plain data (Blobs, Dates) is not asked for and not supported. */
export function packRecords(records: readonly unknown[]): PackedRecords {
  const columns: PackedRecords["columns"] = [];
  const visit = (values: readonly unknown[], path: Path): void => {
    const [first] = values;
    if (branchAlike(values)) {
      const isList = Array.isArray(first);
      for (const key of Object.keys(first as object))
        visit(
          values.map((value) => (value as Record<string, unknown>)[key]),
          [...path, isList ? Number(key) : key],
        );
      return;
    }
    if (!isBranch(first) && values.every((value) => Object.is(value, first))) return;
    const numbers = values.every((value) => typeof value === "number");
    columns.push({ path, values: numbers ? Float64Array.from(values as number[]) : [...values] });
  };
  if (records.length > 0) visit(records, []);
  return { count: records.length, common: records[0] ?? null, columns };
}

/** Plain data, anew; structuredClone takes several times as long. */
function copyOf(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(copyOf);
  if (!isBranch(value)) return value;
  return Object.fromEntries(Object.entries(value).map(([key, own]) => [key, copyOf(own)]));
}

/** The records again, each its own object. */
export function unpackRecords({ count, common, columns }: PackedRecords): unknown[] {
  return Array.from({ length: count }, (_, i) => {
    let record: unknown = copyOf(common);
    for (const { path, values } of columns) {
      if (path.length === 0) {
        record = values[i];
        continue;
      }
      let at = record as Record<string | number, unknown>;
      for (const key of path.slice(0, -1)) at = at[key] as Record<string | number, unknown>;
      at[path[path.length - 1]] = values[i];
    }
    return record;
  });
}
