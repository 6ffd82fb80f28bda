import { findOperation } from "@/core/operations";
import type { AssetRef, Assets } from "@/core/assets";
import type { ChainStep } from "@/core/chain";
import { UserError } from "@/core/job";
import { byteCache } from "./cache";

/** Bytes of an asset by its name, from wherever the application's files lie. */
export type LoadAsset = (id: string) => Promise<Uint8Array>;

/** A worker keeps no more of them, in bytes. */
const KEPT_BYTES = 256 * 2 ** 20;

/** Assets of one worker: each loaded at its first use, checked by its hash, and forgotten last used first. */
export function createAssets(load: LoadAsset, keptBytes = KEPT_BYTES): Assets {
  const kept = byteCache<Uint8Array>(keptBytes, ({ length }) => length);
  const loading = new Map<string, Promise<Uint8Array>>();
  const fetchChecked = async ({ id, sha256, bytes }: AssetRef): Promise<Uint8Array> => {
    const found = await load(id).catch((error: unknown) => {
      const why = error instanceof Error ? error.message : String(error);
      throw new UserError(
        `the file ${id} could not be loaded (${why})`,
        "Start the application again, then try once more.",
      );
    });
    const hash = await sha256Of(found);
    if (found.length !== bytes || hash !== sha256)
      throw new UserError(
        `the file ${id} is not what it should be: expected ${bytes} bytes of SHA-256 ${sha256.slice(0, 12)}…, found ${found.length} of ${hash.slice(0, 12)}…`,
        "Install the application again.",
      );
    kept.set(sha256, found);
    return found;
  };
  return {
    open: (ref) => {
      const known = kept.get(ref.sha256);
      if (known) return Promise.resolve(known);
      const begun = loading.get(ref.sha256) ?? fetchChecked(ref).finally(() => loading.delete(ref.sha256));
      loading.set(ref.sha256, begun);
      return begun;
    },
  };
}

async function sha256Of(bytes: Uint8Array): Promise<string> {
  const digest = await crypto.subtle.digest("SHA-256", bytes as BufferSource);
  return Array.from(new Uint8Array(digest), (byte) => byte.toString(16).padStart(2, "0")).join("");
}

/** Assets of more bytes are large: few workers hold them. */
const LARGE_BYTES = 8 * 2 ** 20;

/** Whether a job runs a chain of which a step needs large assets. */
export function needsLargeAssets(payload: unknown): boolean {
  const treatment = (payload as { treatment?: { steps?: readonly ChainStep[] } } | null)?.treatment;
  return (treatment?.steps ?? []).some(({ on, operation, params }) =>
    on ? (findOperation(operation)?.assets?.(params) ?? []).some(({ bytes }) => bytes > LARGE_BYTES) : false,
  );
}
