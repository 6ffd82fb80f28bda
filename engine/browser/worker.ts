import { serve } from "../worker";
import { bytesOfBlob } from "../frames";

/** The part of a worker's global scope that is used here. */
interface Scope {
  postMessage(message: unknown, transfer: ArrayBuffer[]): void;
  addEventListener(type: "message", handler: (event: MessageEvent) => void): void;
}
const scope = self as unknown as Scope;

/** Messages that arrive while the kernels load wait here. */
const early: unknown[] = [];
let handler = (message: unknown): void => {
  early.push(message);
};
scope.addEventListener("message", (event) => handler(event.data));

async function start(): Promise<void> {
  const response = await fetch("/engine/kernels.wasm").catch(() => null);
  const wasm = response?.ok ? new Uint8Array(await response.arrayBuffer()) : null;
  serve(
    {
      post: (message, transfer) => scope.postMessage(message, transfer),
      listen: (next) => {
        handler = next;
        early.splice(0).forEach(next);
      },
      breathe: () => new Promise((resolve) => setTimeout(resolve, 0)),
    },
    {
      openBytes: (ref) =>
        ref.kind === "blob"
          ? Promise.resolve(bytesOfBlob(ref.name, ref.blob))
          : Promise.reject(new RangeError("files are opened by path only in the headless runner")),
      loadAsset: async (id) => {
        const response = await fetch(`/assets/${encodeURIComponent(id)}`);
        if (!response.ok) throw new Error(`${response.status} ${response.statusText}`.trim());
        return new Uint8Array(await response.arrayBuffer());
      },
    },
    wasm,
  );
}

start().catch((error: unknown) => {
  // So that the pool hears of it.
  queueMicrotask(() => {
    throw error;
  });
});
