import type { StackRecord } from "@/storage";
import type { Files } from "./files";

/** By block of report.blocks, row by row: at how many pixels a sub was rejected. */
export interface RejectedCounts {
  above: Uint8Array;
  below: Uint8Array;
}

/** FITS files come in blocks of so many bytes. Source: FITS Standard 4.0, 3.1. */
const FITS_BLOCK = 2880;

/** Where a sub of a stack was rejected; null where that was not kept. */
export async function rejectedCounts(
  files: Pick<Files, "stack">,
  stack: StackRecord,
  subId: string,
): Promise<RejectedCounts | null> {
  const { blocks, subs } = stack.report;
  const used = subs.filter((sub) => sub.used);
  const index = used.findIndex(({ id }) => id === subId);
  if (!blocks || index < 0) return null;
  const frame = await files.stack(stack, "rejectedBySub");
  if (frame.kind !== "blob") return null;
  const { blob } = frame;
  const size = blocks.columns * blocks.rows;
  const start = blob.size - FITS_BLOCK * Math.ceil((2 * used.length * size) / FITS_BLOCK);
  const bytes = new Uint8Array(
    await blob.slice(start + 2 * index * size, start + 2 * (index + 1) * size).arrayBuffer(),
  );
  return { above: bytes.subarray(0, size), below: bytes.subarray(size) };
}
