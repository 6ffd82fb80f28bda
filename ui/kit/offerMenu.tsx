"use client";

import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

interface Offered {
  id: string;
  title: string;
  /** One sentence: what it does to the picture, or which part of it it is. */
  summary: string;
}

/** A button that opens a list of things to add, each with what it is. */
export function OfferMenu<T extends Offered>({
  items,
  align,
  onPick,
  children,
}: {
  items: readonly T[];
  align: "start" | "end";
  onPick: (item: T) => void;
  /** The button. */
  children: ReactNode;
}) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align={align}
          sideOffset={4}
          className="z-50 w-72 rounded border border-line bg-raised p-1 shadow-lg"
        >
          {items.map((item) => (
            <DropdownMenu.Item
              key={item.id}
              className="cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-line"
              onSelect={() => onPick(item)}
            >
              <div>{item.title}</div>
              <div className="text-sm text-quiet">{item.summary}</div>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
