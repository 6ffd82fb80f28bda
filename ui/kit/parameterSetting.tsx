"use client";

import type { ReactNode } from "react";
import type { ChoiceField, Field, Parameters } from "@/core/parameters";
import { inSentence, isInEffect } from "@/core/parameters";
import { Choice } from "./choice";
import { NumberField, NumberSetting } from "./setting";
import { Tick } from "./tick";

interface Props {
  field: Field & { name: string };
  /** All values of the set, since a field may be of effect only beside some of them. */
  values: Readonly<Record<string, unknown>>;
  onChange: (value: unknown) => void;
  /** Shown at the right of a number's label, such as a button. */
  extra?: ReactNode;
}

/** One declared parameter as its control; nothing where it is of no effect. */
export function ParameterSetting({ field, values, onChange, extra }: Props) {
  const value = values[field.name];
  if (!isInEffect(field, values)) return null;
  if (field.kind === "slider")
    return <NumberSetting {...field} value={Number(value)} onChange={onChange} extra={extra} />;
  if (field.kind === "toggle")
    return (
      <Tick className="gap-1 py-1" help={field.hint} checked={value === true} onChange={onChange}>
        {inSentence(field.label)}
      </Tick>
    );
  // What is taken or placed has a panel of its own (ui/compare/).
  if (field.kind !== "choice") return null;
  return (
    <div className="flex items-center gap-2 py-1" title={field.hint}>
      <span className="flex-1 text-quiet">{field.label}</span>
      <OneOf field={field} value={value} onChange={onChange} />
    </div>
  );
}

function OneOf({ field, value, onChange }: { field: ChoiceField; value: unknown; onChange: (value: string) => void }) {
  const { label, hint, options } = field;
  return <Choice label={label} help={hint} value={String(value)} options={[...options]} onChange={onChange} />;
}

interface InlineProps<P> {
  of: Parameters<P>;
  name: keyof P & string;
  values: NoInfer<P>;
  onChange: (part: Partial<NoInfer<P>>) => void;
}

/** The same as a part of a sentence: a number field, a list, or a box to tick with its label. */
export function InlineParameter<P extends object>({ of, name, values, onChange }: InlineProps<P>) {
  const field = of.fields.find((known) => known.name === name);
  if (!field) throw new RangeError(`no parameter “${name}”`);
  const value: unknown = values[name];
  const change = (next: unknown) => onChange({ [name]: next } as Partial<P>);
  if (field.kind === "slider")
    return (
      <span data-help={field.hint} title={field.hint}>
        <NumberField {...field} value={Number(value)} onChange={change} />
      </span>
    );
  if (field.kind === "choice") return <OneOf field={field} value={value} onChange={change} />;
  if (field.kind !== "toggle") return null;
  return (
    <Tick help={field.hint} checked={value === true} onChange={change}>
      {field.label}
    </Tick>
  );
}
