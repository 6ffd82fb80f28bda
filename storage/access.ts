import type * as z from "zod";
import type { Found, Problem } from "./contracts";
import { readRecord } from "./migrations";

/** How a problem with a damaged record ends. */
export const LEFT_AS_IT_IS = "(left as it is)";

/** Records that can be read, and in words those that cannot. */
export function sift<T>(store: string, schema: z.ZodType<T>, raw: unknown[]): Found<T[]> {
  const found: T[] = [];
  const problems: Problem[] = [];
  for (const item of raw) {
    const read = readRecord(store, schema, item);
    if (read.ok) found.push(read.value);
    else
      problems.push(
        `${read.reason.detail} ${read.reason.why === "newer" ? "(update this application)" : LEFT_AS_IT_IS}`,
      );
  }
  return { found, problems };
}

/** Records that are handed over at once: copying them holds the page up. */
const PUT_AT_ONCE = 200;

/** Puts records batch by batch, within one transaction, with room for the page between them. */
export async function putAll<T>(put: (record: T) => Promise<unknown>, records: readonly T[]): Promise<void> {
  for (let from = 0; from < records.length; from += PUT_AT_ONCE)
    await Promise.all(records.slice(from, from + PUT_AT_ONCE).map(put));
}

/** Whether a record of that id is in a store of the transaction. */
export const isKnown = async (
  store: { getKey(id: string): Promise<string | undefined> },
  id: string,
): Promise<boolean> => (await store.getKey(id)) !== undefined;
