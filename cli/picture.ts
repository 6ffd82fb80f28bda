import { existsSync } from "node:fs";
import type { FrameRef } from "@/engine/frames";
import { fileRef } from "./session";

/** The halves that lie beside a stack (stack.a.fits, stack.b.fits); null where one is missing. */
export async function halvesBeside(path: string): Promise<{ a: FrameRef; b: FrameRef } | null> {
  const base = path.replace(/\.fits?$/i, "");
  const [a, b] = [`${base}.a.fits`, `${base}.b.fits`];
  return existsSync(a) && existsSync(b) ? { a: await fileRef(a), b: await fileRef(b) } : null;
}
