"use client";

import Link from "next/link";
import type { ReactNode } from "react";
import { useEffect, useState } from "react";
import { useStore } from "zustand";
import { ProjectSession } from "@/state/project";
import { EmptyState, Problem } from "../kit/notice";
import { DemoGuide } from "./demoGuide";
import { SessionContext, useProject, useSession } from "./session";
import { thumbnailOf } from "./thumbnail";
import { TopBar } from "./topBar";
import { useTools } from "./workspace";

/** Opens a project for the screens below it and shows the bar on top. */
export function ProjectFrame({ projectId, children }: { projectId: string; children: ReactNode }) {
  const { pool, jobs, repository } = useTools();
  const [session, setSession] = useState<ProjectSession | null>(null);
  const [missing, setMissing] = useState(false);
  useEffect(() => {
    let gone = false;
    let opened: ProjectSession | null = null;
    void ProjectSession.open(projectId, pool, jobs, repository).then((found) => {
      if (gone) return;
      opened = found;
      if (found) setSession(found);
      else setMissing(true);
    });
    const flush = () => opened?.board.flush();
    window.addEventListener("pagehide", flush);
    return () => {
      gone = true;
      opened?.close();
      window.removeEventListener("pagehide", flush);
      setSession(null);
    };
  }, [projectId, pool, jobs, repository]);
  if (missing)
    return (
      <EmptyState title="No such project in this browser">
        It may have been deleted, or made in another browser.{" "}
        <Link href="/" className="text-accent underline">
          Back to the shelf
        </Link>
      </EmptyState>
    );
  if (!session) return null;
  return (
    <SessionContext.Provider value={session}>
      <div className="flex h-screen flex-col">
        <TopBar />
        <Problems />
        <DemoGuide />
        <ThumbnailKeeper />
        <main className="min-h-0 flex-1">{children}</main>
      </div>
    </SessionContext.Provider>
  );
}

function Problems() {
  const { store: jobStore, dismiss } = useTools().jobs;
  const session = useSession();
  const problems = useProject((state) => state.problems);
  const jobs = useStore(jobStore, (state) => state.jobs);
  const failed = jobs.filter((job) => job.error);
  if (problems.length === 0 && failed.length === 0) return null;
  return (
    <div className="space-y-px">
      {failed.map((job) => (
        <Problem
          key={job.id}
          message={`${job.label}: ${job.error?.message}`}
          advice={job.error?.advice}
          onDismiss={() => dismiss(job.id)}
        />
      ))}
      {problems.map((problem, i) => (
        <Problem
          key={problem}
          message={problem}
          onDismiss={() => session.store.setState({ problems: problems.filter((_, k) => k !== i) })}
        />
      ))}
    </div>
  );
}

/** Keeps the project's picture on the shelf that of its newest stack. */
function ThumbnailKeeper() {
  const session = useSession();
  const newest = useProject((state) => state.stacks[state.stacks.length - 1] ?? null);
  useEffect(() => {
    if (!newest) return;
    let gone = false;
    thumbnailOf(session, newest)
      .then((thumbnail) => {
        if (!gone && session.project.thumbnail !== thumbnail) session.saveProject({ thumbnail });
      })
      .catch(() => undefined); // the card is shown without a picture; opening the stack tells what is wrong
    return () => {
      gone = true;
    };
  }, [session, newest]);
  return null;
}
