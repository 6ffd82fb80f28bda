import type { Raster } from "../../raster";
import { wholeRegion } from "../../raster";
import { joinBytes } from "../bytes";
import type { PictureFile, Written } from "../picture";
import { serFrame, serHeader, serTrailer } from "./write";

export const write = ({ raster, sample, source }: Written): Promise<Uint8Array> =>
  serOf(source, raster, sample === "uint8" ? 8 : 16);

async function serOf(picture: PictureFile, first: Raster, depth: 8 | 16): Promise<Uint8Array> {
  const { width, height, channels, frames, metadata } = picture;
  const layout = {
    width,
    height,
    channels: channels === 3 ? (3 as const) : (1 as const),
    cfa: metadata.cfa,
    depth,
    instrument: metadata.instrument ?? "",
    telescope: metadata.telescope ?? "",
    times: Array.from({ length: frames }, (_, i) => picture.timeOf(i) ?? 0),
  };
  const parts = [serHeader(layout)];
  for (let i = 0; i < frames; i++)
    parts.push(serFrame(frames === 1 ? first : await picture.frame(i).read(wholeRegion(picture)), depth));
  return joinBytes([...parts, serTrailer(layout)]);
}
