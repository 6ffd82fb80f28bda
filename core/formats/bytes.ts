/** Random access to the bytes of a file. `read` resolves with exactly `length` bytes and rejects where there are fewer. */
export interface ByteSource {
  readonly name: string;
  readonly size: number;
  read(offset: number, length: number): Promise<Uint8Array>;
}

export function bytesOfArray(name: string, bytes: Uint8Array): ByteSource {
  return {
    name,
    size: bytes.length,
    read: (offset, length) =>
      offset + length > bytes.length
        ? Promise.reject(new RangeError(`${name}: bytes ${offset} … ${offset + length} lie past the end`))
        : Promise.resolve(bytes.subarray(offset, offset + length)),
  };
}

/** Parts of a file in order, as one. */
export function joinBytes(parts: readonly Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}
