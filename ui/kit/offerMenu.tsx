"use client";

import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { Fragment } from "react";

interface Offered {
  id: string;
  title: string;
  /** One sentence: what it does to the picture, or which part of it it is. */
  summary: string;
}

/** A longer list stands in two columns. */
const LONG = 10;

/** A button that opens a list of things to add, each with what it is. */
export function OfferMenu<T extends Offered>({
  items,
  headingOf = () => null,
  align,
  onPick,
  children,
}: {
  items: readonly T[];
  /** The heading under which an item stands, where it is not that of the one before; null for none. */
  headingOf?: (item: T) => string | null;
  align: "start" | "end";
  onPick: (item: T) => void;
  /** The button. */
  children: ReactNode;
}) {
  const isLong = items.length > LONG;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align={align}
          sideOffset={4}
          className={`z-50 max-h-(--radix-dropdown-menu-content-available-height) overflow-y-auto rounded border border-line bg-raised p-1 shadow-lg ${isLong ? "w-[36rem]" : "w-72"}`}
          collisionPadding={8}
        >
          <div className={isLong ? "columns-2 gap-1" : ""}>
            {items.map((item, k) => (
              <Fragment key={item.id}>
                {headingOf(item) !== null && (k === 0 || headingOf(items[k - 1]) !== headingOf(item)) ? (
                  <DropdownMenu.Label className="break-after-avoid px-2 pt-2 pb-0.5 text-sm text-accent">
                    {headingOf(item)}
                  </DropdownMenu.Label>
                ) : null}
                <DropdownMenu.Item
                  className="cursor-pointer break-inside-avoid rounded px-2 py-1 outline-none data-[highlighted]:bg-line"
                  onSelect={() => onPick(item)}
                >
                  <div>{item.title}</div>
                  <div className="text-sm text-quiet">{item.summary}</div>
                </DropdownMenu.Item>
              </Fragment>
            ))}
          </div>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
