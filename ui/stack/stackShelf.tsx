"use client";

import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import { inWords } from "@/core/job";
import { failureOf } from "@/engine/protocol";
import { UNDO_MS } from "@/state/subs";
import type { StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { duration } from "../kit/format";
import { differences, subsWords } from "./stackDifferences";

interface Props {
  stacks: StackRecord[];
  currentId: string | null;
  sideBySide: boolean;
  onSideBySide: (on: boolean) => void;
}

/** The stacks made so far, each saying what differs from the one before it. */
export function StackShelf({ stacks, currentId, sideBySide, onSideBySide }: Props) {
  const session = useSession();
  const [error, setError] = useState<string | null>(null);
  const list = useRef<HTMLUListElement>(null);
  useEffect(() => {
    list.current?.querySelector("[aria-current]")?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [currentId, stacks.length]);
  if (stacks.length === 0) return null;
  return (
    <div className="shrink-0 border-t border-line bg-panel">
      {error ? <p className="px-3 pt-2 text-warn first-letter:uppercase">{error}</p> : null}
      {stacks.length > 1 ? (
        <div className="flex justify-end px-2 pt-1">
          <Button
            kind="quiet"
            aria-pressed={sideBySide}
            help="All stacks in a table: settings, integration, noise, sharpness, time"
            onClick={() => onSideBySide(!sideBySide)}
          >
            {sideBySide ? "Back to the picture" : "Side by side"}
          </Button>
        </div>
      ) : null}
      <ul ref={list} className="flex gap-2 overflow-x-auto p-2" aria-label="Stacks">
        {stacks.map((stack, i) => (
          <li
            key={stack.id}
            aria-current={stack.id === currentId ? "true" : undefined}
            className={`w-56 shrink-0 rounded border bg-raised px-2 py-1.5 ${stack.id === currentId ? "border-accent" : "border-line"}`}
          >
            <button type="button" className="w-full text-left" onClick={() => session.stacks.select(stack.id)}>
              <span className="block text-quiet">
                {subsWords(stack)}
                {stack.report.integrationS > 0 ? ` · ${duration(stack.report.integrationS)}` : ""}
              </span>
              <span className="block truncate text-sm text-quiet">
                {i > 0 ? differences(stacks[i - 1], stack) : stack.brought ? "made elsewhere" : ""}
              </span>
            </button>
            <div className="flex items-center gap-1">
              <StackName stack={stack} />
              <Button
                kind="quiet"
                help={`Deletes “${stack.name}” and its halves`}
                onClick={() => {
                  try {
                    const undo = session.stacks.delete(stack.id);
                    setError(null);
                    toast(`“${stack.name}” was deleted`, {
                      duration: UNDO_MS,
                      action: { label: "Undo", onClick: undo },
                    });
                  } catch (reason) {
                    const { message, advice } = failureOf(reason);
                    setError(inWords(message, advice));
                  }
                }}
              >
                Delete
              </Button>
            </div>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** The name of a stack, to be typed over; one that is left empty comes back. */
function StackName({ stack: { id, name } }: { stack: StackRecord }) {
  const { stacks } = useSession();
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <input
      aria-label="Name of this stack"
      className="min-w-0 flex-1 rounded bg-transparent hover:bg-page focus:bg-page"
      value={typed ?? name}
      maxLength={80}
      onChange={(event) => {
        setTyped(event.target.value);
        stacks.rename(id, event.target.value);
      }}
      onBlur={() => setTyped(null)}
    />
  );
}
