import { z } from "zod";

/** A number with a range: a slider beside a number field; whole numbers where step, min and max are whole. */
export interface Slider {
  kind: "slider";
  label: string;
  /** What it does to the picture. */
  hint: string;
  unit: string;
  min: number;
  max: number;
  step: number;
  default: number;
  /** The runner's option, "low" for --low, where there is one. */
  option?: string;
  /** Shown, and of effect, only while another parameter has this value, or one of these. */
  when?: Condition;
  /** Of effect only in a picture of several channels. */
  ofColour?: boolean;
}

export interface Condition {
  name: string;
  is: string | readonly string[];
}

/** One of several values, each with its words. */
export interface ChoiceField<V extends string = string> {
  kind: "choice";
  label: string;
  hint: string;
  /** `also`: another word for it that the runner takes. */
  options: readonly { value: V; label: string; also?: string }[];
  default: V;
  option?: string;
  when?: Condition;
  ofColour?: boolean;
}

/** On or off. */
export interface TickField {
  kind: "tick";
  label: string;
  hint: string;
  default: boolean;
  option?: string;
  when?: Condition;
}

/** A blur that was taken from somewhere, such as a file: square, centred on its middle pixel, of sum 1; with where it is from. */
export const importedPsf = z
  .object({
    from: z.string().min(1).max(200),
    side: z.number().int().min(3).max(65),
    values: z.array(z.number().min(0)),
  })
  .refine(
    ({ side, values }) => side % 2 === 1 && values.length === side * side,
    "must have side × side values, of an odd side",
  )
  .refine(({ values }) => values.some((v) => v > 0), "must hold some light");
export type ImportedKernel = z.infer<typeof importedPsf>;

/** A blur of that kind; null until one was taken. */
export interface KernelField {
  kind: "kernel";
  label: string;
  hint: string;
  option?: undefined;
  when?: Condition;
}

export type Field = Slider | ChoiceField | TickField | KernelField;

type ValueOf<F extends Field> = F extends Slider
  ? number
  : F extends ChoiceField<infer V>
    ? V
    : F extends TickField
      ? boolean
      : F extends KernelField
        ? ImportedKernel | null
        : never;
export type ValuesOf<F extends Record<string, Field>> = { [K in keyof F]: ValueOf<F[K]> };

/** Settings declared once: their schema with defaults, their fields in the order in which they are shown, and their words. */
export interface Parameters<P> {
  schema: z.ZodType<P>;
  defaults: P;
  fields: readonly (Field & { name: keyof P & string })[];
}

export function slider(field: Omit<Slider, "kind" | "unit"> & { unit?: string }): Slider {
  return { unit: "", ...field, kind: "slider" };
}

export function choice<const V extends string>(field: Omit<ChoiceField<V>, "kind">): ChoiceField<V> {
  return { ...field, kind: "choice" };
}

export function tick(field: Omit<TickField, "kind">): TickField {
  return { ...field, kind: "tick" };
}

export function kernel(field: Omit<KernelField, "kind">): KernelField {
  return { ...field, kind: "kernel" };
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
export function schemaOf(field: Field): z.ZodType {
  if (field.kind === "kernel") return importedPsf.nullable().default(null);
  if (field.kind === "tick") return z.boolean().default(field.default);
  if (field.kind === "choice")
    return z.enum(field.options.map(({ value }) => value) as [string, ...string[]]).default(field.default);
  const { min, max, step } = field;
  const number = z.number().min(min).max(max);
  return ([min, max, step].every(Number.isInteger) ? number.int() : number).default(field.default);
}

/** A label inside a sentence: "Low limit" is "low limit", "FWHM limit" stays. */
export const inSentence = (label: string): string =>
  /^[A-Z]{2}/.test(label) ? label : label.charAt(0).toLowerCase() + label.slice(1);

/** A value in words: a number with its unit, a choice by its label. */
export function inWords(field: Field, value: unknown): string {
  if (field.kind === "slider") return [String(value), field.unit].filter(Boolean).join(" ");
  if (field.kind === "tick") return value === true ? "on" : "off";
  if (field.kind === "kernel") return (value as ImportedKernel | null)?.from ?? "none";
  return field.options.find((option) => option.value === value)?.label ?? String(value);
}

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
