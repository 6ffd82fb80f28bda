import type { PictureFormat } from "../picture";

const ascii = (bytes: Uint8Array, at: number): string => String.fromCharCode(...bytes.subarray(at, at + 4));

export const AVI = {
  id: "avi",
  title: "AVI video",
  endings: [".avi"],
  recognises: (start: Uint8Array) => ascii(start, 0) === "RIFF" && ascii(start, 8) === "AVI ",
  reader: () => import("./read"),
} as const satisfies PictureFormat;
