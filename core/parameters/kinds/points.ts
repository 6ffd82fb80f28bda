import * as z from "zod";
import { mapPoint } from "../../register";
import type { FieldBase, ParameterKind } from "./kind";
import type { Places } from "./stars";

/** Points that a person sets on the picture, px of it. */
export interface PointsField extends FieldBase {
  kind: "points";
  /** No more than so many. */
  most: number;
}

export function pointsField(field: Omit<PointsField, "kind">): PointsField {
  return { ...field, kind: "points" };
}

export const pointsKind: ParameterKind<PointsField, Places> = {
  schema: ({ most }) =>
    z
      .array(z.tuple([z.number(), z.number()]))
      .max(most)
      .default([]),
  inWords: (_field, value) => (value.length === 1 ? "1 point" : `${value.length} points`),
  placed: (value, warp) => value.map(([x, y]) => mapPoint(warp, x, y)),
};
