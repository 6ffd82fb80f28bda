"use client";

import { Trash2 } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useCallback, useEffect, useState } from "react";
import { toast } from "sonner";
import { failureOf } from "@/engine/protocol";
import type { ProjectCard } from "@/state/shelf";
import { newProject, readShelf } from "@/state/shelf";
import { Mark } from "../frame/topBar";
import { useTools } from "../frame/workspace";
import { Button, IconButton } from "../kit/button";
import { duration, when } from "../kit/format";
import { Problem } from "../kit/notice";
import { Notices } from "../kit/notices";

/** What can be tried without frames of one's own; the pictures are made by the same simulator (npm run screenshots). */
const DEMOS = [
  {
    kind: "night",
    name: "Weir Nebula, demo",
    action: "Open the demo",
    try: "22 calibrated subs: see them stacked, then compare noise reduction and deconvolution side by side.",
    picture: "/demos/night.png",
  },
  {
    kind: "raw",
    name: "Weir Nebula, raw demo",
    action: "Demo with raw frames",
    try: "Raw colour lights with darks, flats and bias: calibrate, demosaic, find the bad ones.",
    picture: "/demos/raw.png",
  },
  {
    kind: "video",
    name: "Oru, video demo",
    action: "Demo with a video",
    try: "A planet through moving air, 240 frames: rank them and flip through the sharpest.",
    picture: "/demos/video.png",
  },
] as const;

/** All projects as cards. On the first visit of a demo start it makes the demo project by itself. */
export function ShelfScreen({ demoByItself }: { demoByItself: boolean }) {
  const { repository, sessions } = useTools();
  const router = useRouter();
  const [cards, setCards] = useState<ProjectCard[] | null>(null);
  const [problems, setProblems] = useState<string[]>([]);
  const [name, setName] = useState("");

  const refresh = useCallback(async () => {
    try {
      const shelf = await readShelf(repository, Date.now());
      setCards(shelf.cards);
      setProblems(shelf.problems);
      return shelf.cards;
    } catch (error) {
      setProblems([failureOf(error).message]);
      return null;
    }
  }, [repository]);

  const create = useCallback(
    async (projectName: string, demo: boolean, kind: "night" | "raw" | "video" = "night") => {
      const project = newProject(projectName, demo, kind);
      await repository.addProject(project);
      router.push(`/p/${project.id}/subs`);
    },
    [repository, router],
  );

  useEffect(() => {
    let gone = false;
    const begin = async () => {
      const found = await refresh();
      if (gone || !demoByItself || found === null) return;
      const { found: all } = await repository.projects();
      if (all.length === 0 && !gone) await create("Weir Nebula, demo", true);
    };
    begin().catch((error: unknown) => !gone && setProblems([failureOf(error).message]));
    return () => {
      gone = true;
    };
  }, [refresh, create, demoByItself, repository]);

  const remove = async ({ project }: ProjectCard) => {
    sessions.drop(project.id);
    await repository.markDeleted(project.id, true);
    await refresh();
    toast(`“${project.name}” was deleted`, {
      duration: 12_000,
      action: {
        label: "Undo",
        onClick: () => void repository.markDeleted(project.id, false).then(refresh),
      },
    });
  };

  return (
    <div className="flex h-screen flex-col">
      <header className="flex h-11 shrink-0 items-center gap-3 border-b border-line bg-panel px-3">
        <Mark />
        <h1>Dunkel</h1>
        <span className="text-quiet">
          Stack subs, then see side by side which treatment is better, and whether its detail is real.
        </span>
      </header>
      {problems.map((problem) => (
        <Problem key={problem} message={problem} />
      ))}
      <main className="min-h-0 flex-1 overflow-auto p-6">
        <form
          className="mb-6 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            void create(name.trim() || "Untitled project", false);
          }}
        >
          <input
            aria-label="Name of the new project"
            className="w-64 rounded border border-line bg-panel px-2 py-1"
            placeholder="Name, such as the target and the night"
            maxLength={80}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <Button kind="primary" type="submit" help="Makes an empty project and opens it">
            New project
          </Button>
        </form>
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(260px,1fr))] gap-4">
          {cards?.map((card) => (
            <li key={card.project.id} className="group relative rounded border border-line bg-panel hover:border-quiet">
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
                    {card.subs} subs · {duration(card.integrationS)} · {card.stacks}{" "}
                    {card.stacks === 1 ? "stack" : "stacks"}
                  </div>
                  <div className="text-sm text-quiet">last opened {when(card.project.openedAt)}</div>
                </div>
              </Link>
              <IconButton
                label={`Delete “${card.project.name}”`}
                className="absolute right-2 bottom-2"
                onClick={() => void remove(card)}
              >
                <Trash2 size={14} />
              </IconButton>
            </li>
          ))}
        </ul>
        <section className="mt-8">
          <h2 className="mb-2 text-quiet">
            {cards?.length === 0
              ? "No projects yet. Make one and drop your frames into it, or begin with a simulated one:"
              : "To try things on: projects of simulated frames"}
          </h2>
          <ul className="grid grid-cols-[repeat(auto-fill,minmax(260px,1fr))] gap-4" aria-label="Demos">
            {DEMOS.map(({ kind, name: title, action, try: what, picture }) => (
              <li
                key={kind}
                className="relative flex flex-col rounded border border-line bg-panel focus-within:border-quiet hover:border-quiet"
              >
                <img src={picture} alt="" className="h-40 w-full rounded-t bg-page object-cover" />
                <div className="px-3 py-2">
                  <button
                    type="button"
                    data-help={`${action}: a new project of simulated frames`}
                    className="block text-left text-accent after:absolute after:inset-0"
                    onClick={() => void create(title, true, kind)}
                  >
                    {action}
                  </button>
                  <p className="text-sm text-quiet">{what}</p>
                </div>
              </li>
            ))}
          </ul>
        </section>
      </main>
      <Notices />
    </div>
  );
}
