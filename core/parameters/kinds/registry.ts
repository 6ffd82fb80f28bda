import type { ChoiceField } from "./choice";
import { choiceKind } from "./choice";
import type { FieldBase, ParameterKind } from "./kind";
import type { ChosenPatches, PatchesField } from "./patches";
import { patchesKind } from "./patches";
import type { PointsField } from "./points";
import { pointsKind } from "./points";
import type { ImportedKernel, PsfField } from "./psf";
import { psfKind } from "./psf";
import type { Slider } from "./slider";
import { sliderKind } from "./slider";
import type { Places, StarsField } from "./stars";
import { starsKind } from "./stars";
import type { ToggleField } from "./toggle";
import { toggleKind } from "./toggle";

/** Every kind of parameter, by its name. A new one is a line here and one in each type below. */
export const KINDS = {
  slider: sliderKind,
  choice: choiceKind,
  toggle: toggleKind,
  psf: psfKind,
  patches: patchesKind,
  stars: starsKind,
  points: pointsKind,
} as const;

export type Field = Slider | ChoiceField | ToggleField | PsfField | PatchesField | StarsField | PointsField;

interface Values {
  slider: number;
  toggle: boolean;
  psf: ImportedKernel | null;
  patches: ChosenPatches | null;
  stars: Places;
  points: Places;
}

export type ValueOf<F extends Field> =
  F extends ChoiceField<infer V> ? V : F["kind"] extends keyof Values ? Values[F["kind"]] : never;

export const kindOf = ({ kind }: Field): ParameterKind<FieldBase, unknown> =>
  KINDS[kind] as unknown as ParameterKind<FieldBase, unknown>;
