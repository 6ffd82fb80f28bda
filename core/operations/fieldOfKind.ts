import type { Field } from "../parameters";
import { findOperation } from "./registry";

/** The name of an operation's parameter of a kind; undefined where it has none. */
export const fieldOfKind = (operation: string, kind: Field["kind"]): string | undefined =>
  findOperation(operation)?.parameters.fields.find((field) => field.kind === kind)?.name;
