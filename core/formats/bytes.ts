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
