import * as z from "zod";
import type { FieldBase, ParameterKind } from "./kind";

/** A number with a range: a slider beside a number field; whole numbers where step, min and max are whole. */
export interface Slider extends FieldBase {
  kind: "slider";
  unit: string;
  min: number;
  max: number;
  step: number;
  default: number;
}

export function slider(field: Omit<Slider, "kind" | "unit"> & { unit?: string }): Slider {
  return { unit: "", ...field, kind: "slider" };
}

export const sliderKind: ParameterKind<Slider, number> = {
  schema(field) {
    const { min, max, step } = field;
    const number = z.number().min(min).max(max);
    return ([min, max, step].every(Number.isInteger) ? number.int() : number).default(field.default);
  },
  inWords: ({ unit }, value) => [String(value), unit].filter(Boolean).join(" "),
  option: {
    fromText: (_field, text) => Number(text),
    usage: (field) => `${field.min}…${field.max} (${field.default})`,
  },
};
