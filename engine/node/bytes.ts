import { open, stat } from "node:fs/promises";
import type { OpenBytes } from "../frames";
import { bytesOfBlob } from "../frames";

/** Files by path, each read opened and closed on its own, so that a thousand frames hold no handles; blobs as they are. */
export const openNodeBytes: OpenBytes = async (ref) => {
  if (ref.kind === "blob") return bytesOfBlob(ref.name, ref.blob);
  const { size } = await stat(ref.path);
  return {
    name: ref.name,
    size,
    read: async (offset, length) => {
      const handle = await open(ref.path, "r");
      try {
        // Not filled with zeros first, and with a buffer of its own: it may be handed on.
        const bytes = new Uint8Array(Buffer.allocUnsafeSlow(length).buffer);
        const { bytesRead } = await handle.read(bytes, 0, length, offset);
        if (bytesRead < length)
          throw new RangeError(`${ref.name}: bytes ${offset} … ${offset + length} lie past the end`);
        return bytes;
      } finally {
        await handle.close();
      }
    },
  };
};
