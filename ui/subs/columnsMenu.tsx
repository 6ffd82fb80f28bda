"use client";

import { DropdownMenu } from "radix-ui";
import { Check, Columns3 } from "lucide-react";
import { MEASURES } from "@/core/choose";
import { useProject, useSession } from "../frame/session";
import { IconButton } from "../kit/button";

/** Which measures the table shows. */
export function ColumnsMenu({
  thumbnails,
  onThumbnails,
}: {
  thumbnails: boolean;
  onThumbnails: (on: boolean) => void;
}) {
  const session = useSession();
  const columns = useProject((state) => state.project.columns);
  const item = "flex cursor-pointer items-center gap-2 rounded px-2 py-0.5 outline-none data-[highlighted]:bg-line";
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <IconButton label="Columns of the table">
          <Columns3 size={14} />
        </IconButton>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          sideOffset={2}
          align="end"
          className="z-50 max-h-[70vh] overflow-auto rounded border border-line bg-raised p-1 text-sm shadow-lg"
        >
          <DropdownMenu.CheckboxItem
            className={item}
            checked={thumbnails}
            onCheckedChange={onThumbnails}
            onSelect={(event) => event.preventDefault()}
          >
            <span className="w-3">{thumbnails ? <Check size={12} /> : null}</span> small pictures
          </DropdownMenu.CheckboxItem>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          {MEASURES.map(({ id, label, unit, help }) => {
            const shown = columns.includes(id);
            return (
              <DropdownMenu.CheckboxItem
                key={id}
                title={help}
                className={item}
                checked={shown}
                onSelect={(event) => event.preventDefault()}
                onCheckedChange={() =>
                  session.saveProject({
                    columns: MEASURES.map((measure) => measure.id).filter((other) =>
                      other === id ? !shown : columns.includes(other),
                    ),
                  })
                }
              >
                <span className="w-3">{shown ? <Check size={12} /> : null}</span> {label}
                <span className="text-quiet">{unit}</span>
              </DropdownMenu.CheckboxItem>
            );
          })}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
