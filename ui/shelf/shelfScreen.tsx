"use client";

import { useRouter } from "next/navigation";
import { useCallback, useEffect, useState } from "react";
import { toast } from "sonner";
import { inWords } from "@/core/job";
import { failureOf } from "@/engine/protocol";
import type { ProjectCard as Card } from "@/state/shelf";
import { newProject, readShelf } from "@/state/shelf";
import { storageFailure } from "@/state/storageFailure";
import { StorageUse } from "../frame/storageUse";
import { Mark } from "../frame/topBar";
import { useTools } from "../frame/workspace";
import { Button } from "../kit/button";
import { Problem } from "../kit/notice";
import { Notices } from "../kit/notices";
import { DemoCards } from "./demoCards";
import { ProjectCard } from "./projectCard";

/** All projects as cards. On the first visit of a demo start it makes the demo project by itself. */
export function ShelfScreen({ demoByItself }: { demoByItself: boolean }) {
  const { repository, sessions } = useTools();
  const router = useRouter();
  const [cards, setCards] = useState<Card[] | null>(null);
  const [problems, setProblems] = useState<string[]>([]);

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

  /** What went wrong, and what to do. */
  const showProblem = (error: unknown) => {
    const { message, advice } = failureOf(storageFailure(error));
    setProblems([inWords(message, advice)]);
  };

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

  const remove = async ({ project: { id, name } }: Card) => {
    sessions.drop(id);
    const end = await repository.markDeleted(id, true);
    await refresh();
    if (end === "removed")
      return toast(`“${name}” was deleted for good: the browser's storage had no room to keep it`, {
        duration: 12_000,
      });
    const bringBack = () => repository.markDeleted(id, false).then(refresh).catch(showProblem);
    toast(`“${name}” was deleted`, { duration: 12_000, action: { label: "Undo", onClick: () => void bringBack() } });
  };

  return (
    <div className="flex h-screen flex-col">
      <header className="flex h-11 shrink-0 items-center gap-3 border-b border-line bg-panel px-3">
        <Mark />
        <h1>Dunkel</h1>
        <span className="text-quiet">
          Stack subs, then see side by side which treatment is better, and whether its detail is real.
        </span>
        <span className="ml-auto">
          <StorageUse changed={cards} isUsed={(cards?.length ?? 0) > 0} />
        </span>
      </header>
      {problems.map((problem) => (
        <Problem key={problem} message={problem} />
      ))}
      <main className="min-h-0 flex-1 overflow-auto p-6">
        <NewProject onMake={(name) => void create(name, false).catch(showProblem)} />
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(260px,1fr))] gap-4">
          {cards?.map((card) => (
            <ProjectCard key={card.project.id} card={card} onDelete={() => void remove(card).catch(showProblem)} />
          ))}
        </ul>
        <section className="mt-8">
          <h2 className="mb-2 text-quiet">
            {cards?.length === 0
              ? "No projects yet. Make one and drop your frames into it, or begin with a simulated one:"
              : "To try things on: projects of simulated frames"}
          </h2>
          <DemoCards
            isFirst={cards?.length === 0}
            onOpen={({ kind, name: title }) => void create(title, true, kind).catch(showProblem)}
          />
        </section>
      </main>
      <Notices />
    </div>
  );
}

function NewProject({ onMake }: { onMake: (name: string) => void }) {
  const [name, setName] = useState("");
  return (
    <form
      className="mb-6 flex items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        onMake(name.trim() || "Untitled project");
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
  );
}
