"use client";

import { Trash2 } from "lucide-react";
import Link from "next/link";
import type { ProjectCard as Card } from "@/state/shelf";
import { IconButton } from "../kit/button";
import { counted, duration, when } from "../kit/format";

/** A project on the shelf: its picture, what is in it, and when it was opened last. */
export function ProjectCard({ card, onDelete }: { card: Card; onDelete: () => void }) {
  return (
    <li className="group relative rounded border border-line bg-panel hover:border-quiet">
      <Link href={`/p/${card.project.id}/${card.project.stage}`} className="block">
        <div className="h-40 overflow-hidden rounded-t bg-page">
          {card.project.thumbnail ? (
            <img src={card.project.thumbnail} alt="" className="h-full w-full object-cover" />
          ) : (
            <div className="flex h-full items-center justify-center text-quiet">no stack yet</div>
          )}
        </div>
        <div className="px-3 py-2">
          <div className="truncate pr-6">{card.project.name}</div>
          <div className="figures text-quiet">
            {counted(card.subs, "sub")} · {duration(card.integrationS)} · {counted(card.stacks, "stack")}
          </div>
          <div className="text-sm text-quiet">last opened {when(card.project.openedAt)}</div>
        </div>
      </Link>
      <IconButton label={`Delete “${card.project.name}”`} className="absolute right-2 bottom-2" onClick={onDelete}>
        <Trash2 size={14} />
      </IconButton>
    </li>
  );
}
