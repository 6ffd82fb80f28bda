import type { PictureFormat } from "../picture";
import { SER_ID } from "./layout";

export const SER = {
  id: "ser",
  title: "SER video",
  endings: [".ser"],
  recognises: (start: Uint8Array) => String.fromCharCode(...start.subarray(0, SER_ID.length)) === SER_ID,
  reader: () => import("./read"),
  writer: {
    endings: [".ser"],
    samples: ["uint8", "uint16"],
    load: () => import("./convert"),
  },
} as const satisfies PictureFormat;
