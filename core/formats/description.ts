import { keptHeader } from "./fits";
import type { PictureFile } from "./picture";
import { asRead } from "./unpack";

/** The cards of a picture as text, for formats that have room for one. */
export function descriptionOf(picture: PictureFile): string {
  const { cards } = keptHeader({ ...asRead(picture), unit: "same" });
  return cards.map(([keyword, value]) => `${keyword} = ${value}`).join("\n");
}
