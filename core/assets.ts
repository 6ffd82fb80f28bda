/** A file that ships with the application and is loaded when it is needed, such as the weights of a network. */
export interface AssetRef {
  /** Its name among the application's assets. */
  id: string;
  /** SHA-256 of its bytes, hexadecimal: what it is known by. */
  sha256: string;
  bytes: number;
}

/** Where a computation gets assets. */
export interface Assets {
  /**
   * The bytes of an asset, checked against its hash; not to be changed. Rejects with UserError where it cannot be
   * loaded, or is not what it should be.
   */
  open(ref: AssetRef): Promise<Uint8Array>;
}
