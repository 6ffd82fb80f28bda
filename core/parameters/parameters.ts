import * as z from "zod";
import type { Warp } from "../register";
import type { Field, ValueOf } from "./kinds/registry";
import { kindOf } from "./kinds/registry";

export type ValuesOf<F extends Record<string, Field>> = { [K in keyof F]: ValueOf<F[K]> };

/** Settings declared once: their schema with defaults, their fields in the order in which they are shown, and their words. */
export interface Parameters<P> {
  schema: z.ZodType<P>;
  defaults: P;
  fields: readonly (Field & { name: keyof P & string })[];
}

/** Missing values take their defaults; unknown names are dropped; out of range is a Zod error that names the field. */
export function parameters<F extends Record<string, Field>>(fields: F): Parameters<ValuesOf<F>> {
  type P = ValuesOf<F>;
  const shape = Object.fromEntries(Object.entries(fields).map(([name, field]) => [name, schemaOf(field)]));
  const schema = z.object(shape) as unknown as z.ZodType<P>;
  return {
    schema,
    defaults: schema.parse({}),
    fields: Object.entries(fields).map(([name, field]) => ({ ...field, name })),
  };
}

/** What a field takes; missing is its default. */
export const schemaOf = (field: Field): z.ZodType => kindOf(field).schema(field);

/** A label inside a sentence: "Low limit" is "low limit", "FWHM limit" stays. */
export const inSentence = (label: string): string =>
  /^[A-Z]{2}/.test(label) ? label : label.charAt(0).toLowerCase() + label.slice(1);

/** A value in words: a number with its unit, a choice by its label. */
export const inWords = (field: Field, value: unknown): string => kindOf(field).inWords(field, value);

/** Whether a field is of effect beside the other values. */
export function isInEffect(field: Field, values: Readonly<Record<string, unknown>>): boolean {
  if (!field.when) return true;
  const { name, is } = field.when;
  return [is].flat().includes(String(values[name]));
}

/** What differs between two sets of values: "strength: 0.5, not 0.7"; fields that are not in effect in either are left out. */
export function differencesInWords<P extends object>(of: Parameters<P>, mine: P, other: P): string[] {
  const inEffect = (field: Field, values: P) => isInEffect(field, values as Record<string, unknown>);
  return of.fields.flatMap((field) => {
    const [a, b] = [mine[field.name], other[field.name]];
    if (JSON.stringify(a) === JSON.stringify(b) || !(inEffect(field, mine) || inEffect(field, other))) return [];
    return [`${inSentence(field.label)}: ${inWords(field, a)}, not ${inWords(field, b)}`];
  });
}

type Fields = Pick<Parameters<Record<string, unknown>>, "fields">;

/** Values on another picture: what was placed on the first moves, by `warp` from its pixels to the other's. */
export function placedValues<P extends Record<string, unknown>>({ fields }: Fields, values: P, warp: Warp): P {
  const moved = fields.flatMap((field) => {
    const { placed } = kindOf(field);
    return placed && values[field.name] !== undefined ? [[field.name, placed(values[field.name], warp)]] : [];
  });
  return moved.length > 0 ? { ...values, ...Object.fromEntries(moved) } : values;
}

/** What facts that follow a kind go by, of these values; null for nothing. */
export function followedBy({ fields }: Fields, values: Record<string, unknown>, kind: Field["kind"]): object | null {
  const field = fields.find((one) => one.kind === kind);
  const value = field && values[field.name];
  return (value !== undefined && field && kindOf(field).followed?.(value)) || null;
}

/** The values that act on a picture by themselves, without those that act through facts alone. */
export function directValues({ fields }: Fields, values: Record<string, unknown>): Record<string, unknown> {
  const through = new Set(fields.filter((field) => kindOf(field).followed).map(({ name }) => name));
  return through.size === 0
    ? values
    : Object.fromEntries(Object.entries(values).filter(([name]) => !through.has(name)));
}
