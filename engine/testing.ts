import { readFile } from "node:fs/promises";
import { join } from "node:path";
import { MessageChannel } from "node:worker_threads";
import { writeFits } from "@/core/formats";
import type { Raster } from "@/core/raster";
import { kernelBytes } from "@/core/testing/kernelBytes";
import type { LoadAsset } from "./assets";
import type { FrameRef, OpenBytes } from "./frames";
import { bytesOfBlob } from "./frames";
import type { PoolLine } from "./pool";
import { serve } from "./worker";

/** Bytes of references to blobs; those to files are refused. */
export const blobBytes: OpenBytes = (ref) =>
  ref.kind === "blob" ? Promise.resolve(bytesOfBlob(ref.name, ref.blob)) : Promise.reject(new Error("blobs only"));

/** The application's own files. */
export const assetOnDisk: LoadAsset = async (id) => new Uint8Array(await readFile(join("public/assets", id)));

/** A reference to a file in memory. */
export const blobRef = (id: string, bytes: Uint8Array, name = `${id}.fits`): FrameRef => ({
  id,
  name,
  kind: "blob",
  blob: new Blob([bytes as BlobPart]),
});

/** A reference to a picture as a float FITS file in memory. */
export const rasterRef = (id: string, { width, height, channels, planes }: Raster): FrameRef =>
  blobRef(id, writeFits({ width, height, channels, sample: "float32" }, planes));

/** Lines to workers in this thread: the same host and protocol, over message channels. */
export function workersInThread(): { open: () => PoolLine; close: () => void } {
  const ports: { close(): void }[] = [];
  return {
    open: () => {
      const { port1, port2 } = new MessageChannel();
      ports.push(port1, port2);
      serve(
        {
          post: (message, transfer) => port2.postMessage(message, transfer),
          listen: (handler) => port2.on("message", handler),
          breathe: () => new Promise((resolve) => setImmediate(resolve)),
        },
        { openBytes: blobBytes, loadAsset: assetOnDisk },
        kernelBytes(),
      );
      return {
        post: (message) => port1.postMessage(message),
        listen: (onMessage, onDeath) => {
          port1.on("message", onMessage);
          port1.on("messageerror", () => onDeath("a message could not be read"));
        },
        close: () => port1.close(),
      };
    },
    close: () => ports.forEach((port) => port.close()),
  };
}

/** A line whose worker answers only when told to. */
export function puppet() {
  const posted: { kind: string; id: number; task?: string }[] = [];
  let reply: (message: unknown) => void = () => undefined;
  let die: (why: string) => void = () => undefined;
  let closed = 0;
  const line: PoolLine = {
    post: (message) => void posted.push(message as (typeof posted)[number]),
    listen: (onMessage, onDeath) => {
      reply = onMessage;
      die = onDeath;
    },
    close: () => void closed++,
  };
  return { line, posted, say: (m: unknown) => reply(m), die: (why: string) => die(why), closed: () => closed };
}
