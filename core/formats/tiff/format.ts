import type { PictureFormat } from "../picture";

export const TIFF = {
  id: "tiff",
  title: "TIFF",
  endings: [".tif", ".tiff"],
  recognises: (start: Uint8Array) =>
    start.length >= 4 &&
    ((start[0] === 0x49 && start[1] === 0x49 && start[2] === 42) ||
      (start[0] === 0x4d && start[1] === 0x4d && start[3] === 42)),
  reader: () => import("./read"),
  writer: {
    endings: [".tif", ".tiff"],
    samples: ["uint16", "float32"],
    load: () => import("./convert"),
  },
} as const satisfies PictureFormat;
