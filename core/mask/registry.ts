import type { AnyMaskKind } from "./kind";
import { brightness } from "./kinds/brightness";
import { colour } from "./kinds/colour";
import { ellipse, freehand, polygon } from "./kinds/drawn";
import { localSnr } from "./kinds/localSnr";
import { stars } from "./kinds/stars";

/** Every kind of part that a mask may have, in the order in which they are offered. A new one is one line here. */
export const MASK_KINDS: readonly AnyMaskKind[] = [brightness, localSnr, stars, colour, freehand, polygon, ellipse];

export const findMaskKind = (id: string): AnyMaskKind | undefined => MASK_KINDS.find((kind) => kind.id === id);
