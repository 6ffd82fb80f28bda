import * as z from "zod";
import type { FieldBase, ParameterKind } from "./kind";

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
export interface PsfField extends FieldBase {
  kind: "psf";
}

export function psfField(field: Omit<PsfField, "kind">): PsfField {
  return { ...field, kind: "psf" };
}

export const psfKind: ParameterKind<PsfField, ImportedKernel | null> = {
  schema: () => importedPsf.nullable().default(null),
  inWords: (_field, value) => value?.from ?? "none",
};
