import { UserError } from "@/core/job";
import { OPERATIONS } from "@/core/operations";

/** operations: the registry with every parameter's range, default and unit. */
export async function operations(args: string[]): Promise<unknown> {
  if (args.length > 0) throw new UserError(`operations takes no arguments, received ${args[0]}`, "Write: operations.");
  return {
    operations: OPERATIONS.map(({ id, version, words, group, madeFor = null, channels, can, parameters }) => ({
      id,
      version,
      title: words.title,
      group,
      madeFor,
      channels,
      strength: can.strength?.field ?? null,
      parameters: parameters.fields,
    })),
  };
}
