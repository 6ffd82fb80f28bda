import type { PictureFormat } from "../picture";
import { isGzip } from "./gzip";

export const FITS = {
  id: "fits",
  title: "FITS",
  endings: [".fits", ".fit", ".fts", ".fits.fz", ".fz", ".fits.gz", ".fit.gz"],
  recognises: (start: Uint8Array) => isGzip(start) || String.fromCharCode(...start.subarray(0, 6)) === "SIMPLE",
  reader: async () => ({ open: (await import("./read")).openPictureFile }),
  writer: {
    endings: [".fits", ".fit"],
    samples: ["uint16", "float32"],
    load: () => import("./convert"),
  },
} as const satisfies PictureFormat;
