import { join } from "node:path";
import { Worker } from "node:worker_threads";
import type { Asked } from "./observatory";
import { DEMO } from "./observatory";

interface Waiting {
  resolve: (bytes: Uint8Array) => void;
  reject: (error: Error) => void;
}

/** What the thread sends back. */
type Reply = { id: number; bytes: Uint8Array } | { id: number; error: string };

let thread: Worker | null = null;
let asked = 0;
const waiting = new Map<number, Waiting>();
const made = new Map<string, Promise<Uint8Array>>();

/** What the demo's observatory answers, in the order in which it is asked; made once, since every visit asks for the same. */
export function simulated(what: Asked): Promise<Uint8Array> {
  const key = JSON.stringify(what);
  const known = made.get(key);
  if (known) return known;
  const making = new Promise<Uint8Array>((resolve, reject) => {
    waiting.set(++asked, { resolve, reject });
    thread ??= begin();
    thread.postMessage({ id: asked, asked: what });
  });
  made.set(key, making);
  making.catch(() => made.delete(key)); // asked again it is tried again
  return making;
}

/** Begins to simulate the demo's subs: who opens the demo waits for few of them. */
export function prepareSubs(): void {
  for (let index = 0; index < DEMO.subs; index++) simulated({ what: "sub", index }).catch(() => undefined); // told when asked for
}

function begin(): Worker {
  // The bundler of the pages is not to look into this path: scripts/bundle.mjs makes the file.
  const worker = new Worker(/* turbopackIgnore: true */ join(process.cwd(), "dist", "observatory.mjs"));
  worker.on("message", (reply: Reply) => {
    const its = waiting.get(reply.id);
    waiting.delete(reply.id);
    if ("bytes" in reply) its?.resolve(reply.bytes);
    else its?.reject(new Error(reply.error));
  });
  worker.on("error", (error) => {
    thread = null;
    for (const its of waiting.values()) its.reject(error instanceof Error ? error : new Error(String(error)));
    waiting.clear();
  });
  worker.unref();
  return worker;
}
