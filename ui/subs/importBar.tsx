"use client";

import Link from "next/link";
import { DropdownMenu } from "radix-ui";
import { Download } from "lucide-react";
import { measuresCsv, rejectedCsv, rejectedList } from "@/core/choose";
import type { GradedFrame, Verdict } from "@/core/choose";
import type { RefusedFile } from "@/state/importer";
import { useProject, useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { Problem } from "../kit/notice";
import { useJob } from "../kit/useJob";

/** Files that did not come in, and those that wait after a stop. */
export function ImportNotices({ onChoose }: { onChoose: () => void }) {
  const session = useSession();
  const refused = useProject((state) => state.refused);
  const waiting = useProject((state) => state.waiting);
  const found = useProject((state) => state.found);
  const projectId = useProject((state) => state.project.id);
  const missing = useMissing();
  if (refused.length + waiting.length + found.length + missing.length === 0) return null;
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
      {missing.length > 0 ? (
        <div className="flex items-center gap-3 border-l-2 border-accent bg-panel px-3 py-1.5" data-testid="cut-short">
          <span className="flex-1">
            An import was cut short: <span className="figures">{missing.length}</span>{" "}
            {missing.length === 1 ? "file" : "files"} did not come in ({listed(missing)}). Choose{" "}
            {missing.length === 1 ? "it" : "them"} again, or all of them: those that are here are not taken twice.
          </span>
          <Button kind="primary" help="Chooses the files that did not come in" onClick={onChoose}>
            Choose the rest
          </Button>
          <Button help="Goes on without these files" onClick={() => session.subs.dismissWaiting()}>
            Forget them
          </Button>
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
          {causesOf(refused).map(({ message, advice, names, isHarmless }, i) => (
            <Problem
              key={message}
              message={isHarmless ? `${message}.` : namedCause(names, message)}
              advice={advice}
              isHarmless={isHarmless}
              onDismiss={i === 0 ? () => session.subs.dismissRefused() : undefined}
            />
          ))}
        </div>
      ) : null}
    </div>
  );
}

const namedCause = (names: string[], message: string): string =>
  names.length === 1 ? `${names[0]}: ${message}` : `${names.length} files: ${message} (${listed(names)})`;

/** Names of files that an import lacks which was cut short with the page; none while files come in or wait. */
function useMissing(): string[] {
  const isRunning = useJob("import") !== undefined;
  const waits = useProject((state) => state.waiting.length > 0);
  const left = useProject((state) => state.project.importLeft);
  const isDemo = useProject((state) => state.project.demo);
  const subs = useProject((state) => state.subs);
  if (isRunning || waits || isDemo || left.length === 0) return [];
  const here = new Set(subs.map(({ name }) => name));
  return left.filter((name) => !here.has(name));
}

/** Files that were refused for the same reason, together. */
export function causesOf(
  refused: readonly RefusedFile[],
): { message: string; advice: string; names: string[]; isHarmless: boolean }[] {
  const causes = new Map<string, ReturnType<typeof causesOf>[number]>();
  for (const { name, message, advice, isHarmless = false } of refused) {
    const bare = message.startsWith(`${name}: `) ? message.slice(name.length + 2) : message;
    const known = causes.get(bare);
    if (known) known.names.push(name);
    else causes.set(bare, { message: bare, advice, names: [name], isHarmless });
  }
  return [...causes.values()];
}

const LISTED = 3;
const listed = (names: string[]): string =>
  names.slice(0, LISTED).join(", ") + (names.length > LISTED ? ` and ${names.length - LISTED} more` : "");

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
