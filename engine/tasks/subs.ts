import type { SubMetadata } from "@/core/formats";
import { metadataOfCards, pixelScaleOf } from "@/core/formats";
import type { ListedStar, SubMeasures } from "@/core/measure";
import { measureSub as measure } from "@/core/measure";
import type { StretchContext } from "@/core/operations";
import { stretchContextOf } from "@/core/operations";
import { relativeTransmission } from "@/core/stack";
import { wholeRegion } from "@/core/raster";
import type { FrameRef } from "../frames";
import type { Task } from "./task";

export interface SubReading {
  width: number;
  height: number;
  channels: number;
  bitpix: number;
  metadata: SubMetadata;
  pixelScale: number | null;
  measures: SubMeasures;
  stars: ListedStar[];
  stretch: StretchContext;
}

/** Reads and measures one sub. */
export const measureSub: Task<{ frame: FrameRef }, SubReading> = async ({ frame }, shop) => {
  const source = await shop.frames.open(frame);
  shop.job.check();
  const raster = await source.read(wholeRegion(source));
  shop.job.progress(0.3);
  shop.job.check();
  const { measures, stars } = measure(raster, shop.job.kernels);
  const metadata = metadataOfCards(source.header.cards);
  return {
    width: source.width,
    height: source.height,
    channels: source.channels,
    bitpix: source.bitpix,
    metadata,
    pixelScale: pixelScaleOf(metadata),
    measures,
    stars,
    stretch: stretchContextOf([raster]),
  };
};

/** Starlight of a sub over a reference's; null where they do not match. */
export const transmission: Task<{ stars: ListedStar[]; reference: ListedStar[] }, number | null> = ({
  stars,
  reference,
}) => Promise.resolve(relativeTransmission(stars, reference));
