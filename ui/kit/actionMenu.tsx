"use client";

import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

export interface MenuEntry {
  label: string;
  act: () => void;
  /** A heading above it. */
  heading?: string;
}

/** A button that opens a list of things to do; nothing for an empty list. */
export function ActionMenu({ entries, children }: { entries: readonly MenuEntry[]; children: ReactNode }) {
  if (entries.length === 0) return null;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          className="z-50 max-h-[70vh] w-64 overflow-y-auto rounded border border-line bg-raised p-1 shadow-lg"
        >
          {entries.map(({ label, act, heading }) => (
            <div key={`${heading} ${label}`}>
              {heading === undefined ? null : (
                <DropdownMenu.Label className="px-2 pt-1.5 pb-0.5 text-sm text-quiet">{heading}</DropdownMenu.Label>
              )}
              <DropdownMenu.Item
                className="cursor-pointer truncate rounded px-2 py-1 outline-none data-[highlighted]:bg-line"
                onSelect={act}
              >
                {label}
              </DropdownMenu.Item>
            </div>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
