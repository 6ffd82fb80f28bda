import * as z from "zod";
import type { FieldBase, ParameterKind } from "./kind";

/** On or off. */
export interface ToggleField extends FieldBase {
  kind: "toggle";
  default: boolean;
}

export function toggle(field: Omit<ToggleField, "kind">): ToggleField {
  return { ...field, kind: "toggle" };
}

export const toggleKind: ParameterKind<ToggleField, boolean> = {
  schema: (field) => z.boolean().default(field.default),
  inWords: (_field, value) => (value ? "on" : "off"),
  option: { isSwitch: true, fromText: (_field, text) => text, usage: () => "" },
};
