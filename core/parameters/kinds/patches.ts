import * as z from "zod";
import { skyPatch } from "../../measure";
import type { Warp } from "../../register";
import { mapPoint } from "../../register";
import type { FieldBase, ParameterKind } from "./kind";

export const MOST_PATCHES = 24;

/**
 * Patches of sky, px of the picture. `forNoise`: the noise is measured in them, not from the halves
 * or the picture's finest detail.
 */
const chosenPatches = z.object({ patches: z.array(skyPatch).min(1).max(MOST_PATCHES), forNoise: z.boolean() });
export type ChosenPatches = z.infer<typeof chosenPatches>;

/** Patches of sky that a person chose; null for those that are found. */
export interface PatchesField extends FieldBase {
  kind: "patches";
}

export function patchesField(field: Omit<PatchesField, "kind">): PatchesField {
  return { ...field, kind: "patches" };
}

/** Patches on another picture; they keep their size in px. */
export const placedPatches = <P extends { x: number; y: number }>(patches: readonly P[], warp: Warp): P[] =>
  patches.map((patch) => {
    const [x, y] = mapPoint(warp, patch.x, patch.y);
    return { ...patch, x, y };
  });

export const patchesKind: ParameterKind<PatchesField, ChosenPatches | null> = {
  schema: () => chosenPatches.nullable().default(null),
  inWords: (_field, value) =>
    value ? `${value.patches.length} sky patches${value.forNoise ? ", for the noise" : ""}` : "as found",
  placed: (value, warp) => value && { ...value, patches: placedPatches(value.patches, warp) },
  followed: (value) => (value?.forNoise ? { patches: value.patches } : null),
};
