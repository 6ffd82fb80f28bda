import { descriptionOf } from "../description";
import type { Written } from "../picture";
import { writePng } from "./write";

export const write = async ({ raster, sample, source }: Written): Promise<Uint8Array> =>
  writePng(raster, sample === "uint8" ? 8 : 16, { Description: descriptionOf(source) });
