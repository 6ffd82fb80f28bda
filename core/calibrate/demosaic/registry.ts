import { bilinear } from "./bilinear";
import type { Demosaic } from "./demosaic";
import { gradients } from "./gradients";
import { linear5 } from "./linear5";
import { limited } from "./limited";
import { superpixel } from "./superpixel";

/** Every way to demosaic; a new one is one line here. */
export const DEMOSAICS: readonly Demosaic[] = [limited, bilinear, linear5, gradients, superpixel];

/** By id; RangeError for an unknown one. */
export function demosaicOf(id: string): Demosaic {
  const found = DEMOSAICS.find((demosaic) => demosaic.id === id);
  if (!found) throw new RangeError(`demosaic must be one of ${DEMOSAICS.map((d) => d.id).join(", ")}, received ${id}`);
  return found;
}
