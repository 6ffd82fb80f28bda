import { existsSync } from "node:fs";
import type { FrameRef } from "@/engine/frames";
import { fileRef } from "./session";

/** Where the halves of a stack lie: beside it (stack.a.fits, stack.b.fits). */
export function halfPaths(path: string): [string, string] {
  const base = path.replace(/\.fits?$/i, "");
  return [`${base}.a.fits`, `${base}.b.fits`];
}

/** The halves that lie beside a stack; null where one is missing. */
export async function halvesBeside(path: string): Promise<{ a: FrameRef; b: FrameRef } | null> {
  const [a, b] = halfPaths(path);
  return existsSync(a) && existsSync(b) ? { a: await fileRef(a), b: await fileRef(b) } : null;
}
