import * as z from "zod";
import type { FieldBase, ParameterKind } from "./kind";

/** One of several values, each with its words. */
export interface ChoiceField<V extends string = string> extends FieldBase {
  kind: "choice";
  /** `also`: another word for it that the runner takes. */
  options: readonly { value: V; label: string; also?: string }[];
  default: V;
}

export function choice<const V extends string>(field: Omit<ChoiceField<V>, "kind">): ChoiceField<V> {
  return { ...field, kind: "choice" };
}

export const choiceKind: ParameterKind<ChoiceField, string> = {
  schema: (field) => z.enum(field.options.map(({ value }) => value) as [string, ...string[]]).default(field.default),
  inWords: ({ options }, value) => options.find((option) => option.value === value)?.label ?? String(value),
  option: {
    fromText: ({ options }, text) => options.find(({ also }) => also === text)?.value ?? text,
    usage: (field) => `${field.options.map(({ value }) => value).join("|")} (${field.default})`,
  },
};
