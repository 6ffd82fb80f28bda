import type { PictureFormat } from "../picture";

const SIGNATURE = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a];

export const PNG = {
  id: "png",
  title: "PNG",
  endings: [".png"],
  recognises: (start: Uint8Array) => SIGNATURE.every((byte, i) => start[i] === byte),
  reader: () => import("./read"),
  writer: {
    endings: [".png"],
    samples: ["uint8", "uint16"],
    load: () => import("./convert"),
  },
} as const satisfies PictureFormat;
