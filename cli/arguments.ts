import { z } from "zod";
import { UserError } from "@/core/job";

/** A command line in pieces: what stands alone, and --name value options. */
export interface ParsedArguments {
  files: string[];
  options: Record<string, string>;
}

/**
 * Splits arguments; an option without a value, given twice, or not in `known` is a UserError. Options in `switches` may stand
 * alone and then mean "yes".
 */
export function parseArguments(args: string[], known: string[], switches: string[] = []): ParsedArguments {
  const files: string[] = [];
  const options: Record<string, string> = {};
  for (let i = 0; i < args.length; i++) {
    const arg = args[i];
    if (!arg.startsWith("--")) {
      files.push(arg);
      continue;
    }
    const name = arg.slice(2);
    if (!known.includes(name))
      throw new UserError(`unknown option ${arg}`, `Options here: ${known.map((k) => `--${k}`).join(" ")}.`);
    if (name in options) throw new UserError(`${arg} is given twice`, "Give it once.");
    const next = args[i + 1];
    if (switches.includes(name) && (next === undefined || next.startsWith("--") || !["yes", "no"].includes(next))) {
      options[name] = "yes";
      continue;
    }
    if (i + 1 >= args.length) throw new UserError(`${arg} needs a value`, `Write ${arg} VALUE.`);
    options[name] = args[++i];
  }
  return { files, options };
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
