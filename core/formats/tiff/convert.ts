import { descriptionOf } from "../description";
import type { Written } from "../picture";
import { writeTiff } from "./write";

export const write = async ({ raster, sample, source }: Written): Promise<Uint8Array> =>
  writeTiff(raster, sample === "float32" ? "float32" : "uint16", descriptionOf(source));
