"use client";

import { Select } from "radix-ui";
import { Check, ChevronDown } from "lucide-react";

interface Props<T extends string> {
  label: string;
  help?: string;
  value: T;
  options: { value: T; label: string }[];
  onChange: (value: T) => void;
  /** Shown while `value` is none of the options. */
  placeholder?: string;
}

/** One of several, as a list that opens. */
export function Choice<T extends string>({ label, help, value, options, onChange, placeholder }: Props<T>) {
  return (
    <Select.Root value={value} onValueChange={(next) => onChange(next as T)}>
      <Select.Trigger
        aria-label={label}
        title={help}
        data-help={help}
        className="inline-flex items-center gap-1 rounded border border-line bg-page px-1.5 py-0.5 whitespace-nowrap hover:border-quiet"
      >
        <Select.Value placeholder={placeholder} />
        <ChevronDown size={12} className="text-quiet" />
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={2}
          className="z-50 max-h-[60vh] overflow-auto rounded border border-line bg-raised p-1 shadow-lg"
        >
          <Select.Viewport>
            {options.map((option) => (
              <Select.Item
                key={option.value}
                value={option.value}
                className="flex cursor-pointer items-center gap-2 rounded px-2 py-1 outline-none data-[highlighted]:bg-line"
              >
                <span className="w-3">
                  <Select.ItemIndicator>
                    <Check size={12} />
                  </Select.ItemIndicator>
                </span>
                <Select.ItemText>{option.label}</Select.ItemText>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}
