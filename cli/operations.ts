import { UserError } from "@/core/job";
import { OPERATIONS } from "@/core/operations";

/** operations: the registry with every parameter's range, default and unit. */
export async function operations(args: string[]): Promise<unknown> {
  if (args.length > 0) throw new UserError(`operations takes no arguments, received ${args[0]}`, "Write: operations.");
  return {
    operations: OPERATIONS.map(({ id, version, title, group, madeFor = null, channels, can, parameters }) => ({
      id,
      version,
      title,
      group,
      madeFor,
      channels,
      strength: can.strength.field,
      parameters: parameters.fields,
    })),
  };
}
