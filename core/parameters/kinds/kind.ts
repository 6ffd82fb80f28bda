import type * as z from "zod";
import type { Warp } from "../../register";

/** What a field of every kind has. */
export interface FieldBase {
  label: string;
  /** What it does to the picture. */
  hint: string;
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

/** A sort of parameter: what it may be, its words, and how it moves with the sky. */
export interface ParameterKind<F extends FieldBase, V> {
  /** What a field takes; missing is its default. */
  schema(field: F): z.ZodType<V>;
  inWords(field: F, value: V): string;
  /** The value on another picture, for what is placed on one: `warp` leads from its pixels to the other's. */
  placed?(value: V, warp: Warp): V;
  /**
   * What facts of this id follow of the value, as part of their keys; null for nothing. Such a
   * parameter acts on a picture through facts alone.
   */
  followed?(value: V): object | null;
  /** How the runner reads it. A kind without is not an option there. */
  option?: {
    /** It stands alone: there is no value after it. */
    isSwitch?: true;
    /** A text as what the schema takes. */
    fromText(field: F, text: unknown): unknown;
    /** Its values in a usage line. */
    usage(field: F): string;
  };
}
