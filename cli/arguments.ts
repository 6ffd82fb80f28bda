import { parseArgs } from "node:util";
import * as z from "zod";
import { UserError } from "@/core/job";
import type { Field, Parameters } from "@/core/parameters";
import { kindOf, schemaOf } from "@/core/parameters";
import type { Region } from "@/core/raster";

/** A command line in pieces: what stands alone, and --name value options. */
export interface ParsedArguments {
  files: string[];
  options: Record<string, string>;
}

/** What parts the values of an option that may be given several times. */
const PART = "\n";
export const valuesOfRepeated = (text: string | undefined): string[] => text?.split(PART) ?? [];

/**
 * Splits arguments; an option without a value, given twice, or not in `known` is a UserError. Options in `switches` stand alone
 * and mean "yes"; "--name=no" takes one back. Those in `repeated` may be given several times (valuesOfRepeated).
 */
export function parseArguments(
  args: string[],
  known: string[],
  switches: string[] = [],
  repeated: string[] = [],
): ParsedArguments {
  const files: string[] = [];
  const options: Record<string, string> = {};
  const declared = known.map((name) => [name, { type: switches.includes(name) ? "boolean" : "string" } as const]);
  const { tokens } = parseArgs({
    args,
    options: Object.fromEntries(declared),
    allowPositionals: true,
    strict: false,
    tokens: true,
  });
  for (const token of tokens) {
    if (token.kind === "positional") files.push(token.value);
    if (token.kind !== "option") continue;
    const { name, rawName, value } = token;
    if (!known.includes(name))
      throw new UserError(`unknown option ${rawName}`, `Options here: ${known.map((k) => `--${k}`).join(" ")}.`);
    const isMore = name in options && repeated.includes(name);
    if (name in options && !isMore) throw new UserError(`${rawName} is given twice`, "Give it once.");
    if (value === undefined && !switches.includes(name))
      throw new UserError(`${rawName} needs a value`, `Write ${rawName} VALUE.`);
    options[name] = isMore ? `${options[name]}${PART}${value}` : (value ?? "yes");
  }
  return { files, options };
}

/** What a switch says. */
export const yes = z.enum(["yes", "no"]).transform((word) => word === "yes");

/** The options that parameters declare: a schema for each, by the option's name; texts become values of the parameter. */
export function optionsOf<P>({ fields }: Parameters<P>): Record<string, z.ZodType> {
  return Object.fromEntries(
    fields.flatMap((field) => (field.option === undefined ? [] : [[field.option, fromText(field).optional()]])),
  );
}

/** The parameter's own schema, for what comes as text. */
function fromText(field: Field): z.ZodType {
  const { option } = kindOf(field);
  if (option?.isSwitch) return yes;
  const schema = schemaOf(field);
  return option ? z.preprocess((text) => (text === undefined ? text : option.fromText(field, text)), schema) : schema;
}

/** Options that may stand alone. */
export const switchesOf = <P>({ fields }: Parameters<P>): string[] =>
  fields.flatMap((field) => (kindOf(field).option?.isSwitch && field.option !== undefined ? [field.option] : []));

/** The values that were given by options; the others take their defaults. */
export function valuesOf<P>({ fields, schema }: Parameters<P>, options: Record<string, unknown>): P {
  const given = fields.filter(({ option }) => option !== undefined && options[option] !== undefined);
  return schema.parse(Object.fromEntries(given.map(({ name, option }) => [name, options[option as string]])));
}

/** Options in a usage line: "[--low 0.5…20 (3)]". */
export function usageOf<P>({ fields }: Parameters<P>): string {
  return fields
    .flatMap((field) => {
      const { option } = kindOf(field);
      if (!option || field.option === undefined) return [];
      return `[--${[field.option, option.usage(field)].filter(Boolean).join(" ")}]`;
    })
    .join(" ");
}

/** Checks options against a schema; the first fault becomes a UserError that names the option. */
export function checkOptions<T>(schema: z.ZodType<T>, options: Record<string, unknown>): T {
  const parsed = schema.safeParse(options);
  if (parsed.success) return parsed.data;
  const issue = parsed.error.issues[0];
  throw new UserError(`--${issue.path.join(".")}: ${issue.message}`, "Give this option a valid value.");
}

/** "900x600" as width and height. */
export const sizeOption = z
  .string()
  .regex(/^\d+x\d+$/, "must be WIDTHxHEIGHT, such as 900x600")
  .transform((text) => {
    const [width, height] = text.split("x").map(Number);
    return { width, height };
  });

/** "x,y,w,h" as a region. */
export const regionOption = z
  .string()
  .regex(/^\d+,\d+,\d+,\d+$/, "must be x,y,w,h in whole pixels")
  .transform((text) => {
    const [x, y, width, height] = text.split(",").map(Number);
    return { x, y, width, height };
  });

/** The region that is asked for, or all of a picture; UserError where it is empty or lies beyond the picture. */
export function regionOf(asked: Region | undefined, { width, height }: { width: number; height: number }): Region {
  const region = asked ?? { x: 0, y: 0, width, height };
  const inside = region.x + region.width <= width && region.y + region.height <= height;
  if (region.width < 1 || region.height < 1 || !inside)
    throw new UserError(`--region must lie inside ${width}×${height}`, "Give x,y,w,h inside the picture.");
  return region;
}
