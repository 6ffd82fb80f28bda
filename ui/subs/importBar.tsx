"use client";

import Link from "next/link";
import { DropdownMenu } from "radix-ui";
import { Download } from "lucide-react";
import { useEffect, useState } from "react";
import { measuresCsv, rejectedCsv, rejectedList } from "@/core/choose";
import type { GradedFrame, Verdict } from "@/core/choose";
import type { RefusedFile } from "@/state/importer";
import { askToKeep, storageUse } from "@/state/importer";
import { useProject, useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { megabytes } from "../kit/format";
import { Problem } from "../kit/notice";

/** Files that did not come in, and those that wait after a stop. */
export function ImportNotices() {
  const session = useSession();
  const refused = useProject((state) => state.refused);
  const waiting = useProject((state) => state.waiting);
  const found = useProject((state) => state.found);
  const projectId = useProject((state) => state.project.id);
  if (refused.length === 0 && waiting.length === 0 && found.length === 0) return null;
  return (
    <div className="max-h-32 shrink-0 overflow-auto">
      {waiting.length > 0 ? (
        <div className="flex items-center gap-3 border-l-2 border-accent bg-panel px-3 py-1.5" data-testid="waiting">
          <span className="flex-1">
            <span className="figures">{waiting.length}</span> {waiting.length === 1 ? "file waits" : "files wait"} to be
            imported, from {waiting[0].name} on.
          </span>
          <Button kind="primary" onClick={() => void session.subs.importFiles(waiting)}>
            Go on
          </Button>
          <Button onClick={() => session.subs.dismissWaiting()}>Forget them</Button>
        </div>
      ) : null}
      {found.length > 0 ? (
        <div
          className="flex items-center gap-3 border-l-2 border-accent bg-panel px-3 py-1.5"
          data-testid="found-among-subs"
        >
          <span className="flex-1">
            {found.length === 1 ? "One file is" : <>{found.length} files are</>} no light but a stack or part of one, by{" "}
            {found.length === 1 ? "its header" : "their headers"} ({listed(found.map(({ name }) => name))}).
          </span>
          <Link className="text-accent underline" href={`/p/${projectId}/stack`}>
            Bring in on Stack
          </Link>
          <Button onClick={() => session.stacks.setFound([])}>Leave</Button>
        </div>
      ) : null}
      {refused.length > 0 ? (
        <div data-testid="refused">
          {causesOf(refused).map(({ message, advice, names }, i) => (
            <Problem
              key={message}
              message={
                names.length === 1 ? `${names[0]}: ${message}` : `${names.length} files: ${message} (${listed(names)})`
              }
              advice={advice}
              onDismiss={i === 0 ? () => session.subs.dismissRefused() : undefined}
            />
          ))}
        </div>
      ) : null}
    </div>
  );
}

/** What the browser answered when it was asked to keep the data. */
const KEPT: Record<string, string> = {
  true: "The browser keeps it until you delete it.",
  false: "The browser may delete it when the disk gets full: it was asked to keep it, and does not promise.",
  null: "",
};

/** Files that were refused for the same reason, together. */
export function causesOf(refused: readonly RefusedFile[]): { message: string; advice: string; names: string[] }[] {
  const causes = new Map<string, { message: string; advice: string; names: string[] }>();
  for (const { name, message, advice } of refused) {
    const bare = message.startsWith(`${name}: `) ? message.slice(name.length + 2) : message;
    const known = causes.get(bare);
    if (known) known.names.push(name);
    else causes.set(bare, { message: bare, advice, names: [name] });
  }
  return [...causes.values()];
}

const LISTED = 3;
const listed = (names: string[]): string =>
  names.slice(0, LISTED).join(", ") + (names.length > LISTED ? ` and ${names.length - LISTED} more` : "");

/** "58 GB free", and on pointing what the browser keeps for this application, asked again whenever subs come or go. */
export function StorageUse() {
  const count = useProject((state) => state.subs.length + state.stacks.length + state.masters.length);
  const [use, setUse] = useState<{ used: number; quota: number } | null>(null);
  const [isKept, setKept] = useState<boolean | null>(null);
  useEffect(() => {
    let gone = false;
    const unknown = () => undefined; // a browser that does not say shows nothing
    const timer = setTimeout(() => {
      storageUse()
        .then((found) => !gone && setUse(found))
        .catch(unknown);
    }, 500);
    // Asked once there is something to lose.
    if (count > 0)
      askToKeep()
        .then((answer) => !gone && setKept(answer))
        .catch(unknown);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, [count]);
  if (!use) return null;
  const size = (bytes: number) => (bytes > 2 ** 30 ? `${(bytes / 2 ** 30).toFixed(1)} GB` : megabytes(bytes));
  const free = Math.max(0, use.quota - use.used);
  const tight = use.used > 0.9 * use.quota;
  return (
    <span
      className={`figures text-sm ${tight ? "text-warn" : "text-quiet"}`}
      title={`Kept in this browser: ${size(use.used)}. It allows ${size(free)} more now (that changes with the disk). ${KEPT[String(isKept)]}`}
      data-testid="storage"
    >
      {size(free)} free
    </span>
  );
}

function download(text: string, name: string, type: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** Measures and the list of rejected subs as files. */
export function ExportMenu({ frames, verdicts }: { frames: GradedFrame[]; verdicts: ReadonlyMap<string, Verdict> }) {
  const project = useProject((state) => state.project.name);
  const base = project.replace(/[^\p{L}\p{N}]+/gu, "-").toLowerCase();
  const items: [string, string, () => void][] = [
    [
      "Measures, CSV",
      "Every measure of every sub, with units",
      () => download(measuresCsv(frames, verdicts), `${base}-measures.csv`, "text/csv"),
    ],
    [
      "Rejected subs, CSV",
      "Those left out and why",
      () => download(rejectedCsv(frames, verdicts), `${base}-rejected.csv`, "text/csv"),
    ],
    [
      "Rejected subs, file names",
      "One name a line",
      () => download(rejectedList(frames, verdicts), `${base}-rejected.txt`, "text/plain"),
    ],
  ];
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <IconButton label="Export measures and rejected subs">
          <Download size={14} />
        </IconButton>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          sideOffset={2}
          align="end"
          className="z-50 rounded border border-line bg-raised p-1 shadow-lg"
        >
          {items.map(([label, help, run]) => (
            <DropdownMenu.Item
              key={label}
              title={help}
              className="cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-line"
              onSelect={run}
            >
              {label}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
