import { keptHeader, metadataCards } from "./keep";
import type { FitsCard } from "./write";
import { writeFits } from "./write";
import type { FrameUnit } from "../unit";
import { unitOfSamples } from "../unit";
import type { PictureFile, Written } from "../picture";
import { asRead, unpackToFits } from "../unpack";

/** The file itself, unpacked, where its integers fit; else with the header of what it comes from. */
export async function write({ raster, sample, unit, source }: Written): Promise<Uint8Array> {
  const { width, height, channels, planes } = raster;
  const isFloat = sample === "float32";
  const isPlain = source.frames === 1 && !isFloat && (source.bitpix === 16 || source.bitpix === 8);
  if (isPlain && source.fullScale === 65535) return unpackToFits(source);
  const read = asRead(source);
  const { cards, history } = keptHeader({
    ...read,
    set: [...read.set, ...missingCards(source)],
    unit: isFloat ? unitOfSamples(unit) : sixteenBits(unit),
  });
  return writeFits({ width, height, channels, sample: isFloat ? "float32" : "uint16", cards, history }, planes);
}

/** What a file of another format holds in its own way, as cards. */
function missingCards({ cards, metadata }: PictureFile): FitsCard[] {
  const there = new Set(cards.map(({ keyword }) => keyword));
  return metadataCards(metadata).filter(([keyword]) => !there.has(keyword));
}

/** The unit of samples that were brought to 16 bits. */
function sixteenBits(unit: FrameUnit): FrameUnit {
  const full = 65535;
  const saturation = unit.saturation === null ? null : Math.round((unit.saturation / unit.fullScale) * full);
  return { ...unit, name: "ADU", storedPerUnit: full, fullScale: full, saturation };
}
