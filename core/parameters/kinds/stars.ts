import * as z from "zod";
import { mapPoint } from "../../register";
import type { FieldBase, ParameterKind } from "./kind";

export const MOST_DROPPED = 400;

/** Places of stars, px of the picture, that show nothing of the blur. */
export interface StarsField extends FieldBase {
  kind: "stars";
}
export type Places = [x: number, y: number][];

export function starsField(field: Omit<StarsField, "kind">): StarsField {
  return { ...field, kind: "stars" };
}

export const starsKind: ParameterKind<StarsField, Places> = {
  schema: () =>
    z
      .array(z.tuple([z.number(), z.number()]))
      .max(MOST_DROPPED)
      .default([]),
  inWords: (_field, value) => (value.length === 0 ? "none" : String(value.length)),
  placed: (value, warp) => value.map(([x, y]) => mapPoint(warp, x, y)),
  followed: (value) => (value.length > 0 ? { dropped: value } : null),
};
