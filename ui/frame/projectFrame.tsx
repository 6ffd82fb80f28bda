"use client";

import Link from "next/link";
import type { ReactNode } from "react";
import { useEffect } from "react";
import { useStore } from "zustand";
import type { Absence } from "@/state/sessions";
import { LEFT_AS_IT_IS } from "@/storage";
import { Button } from "../kit/button";
import { EmptyState, Problem } from "../kit/notice";
import { Notices } from "../kit/notices";
import { DemoGuide } from "./demoGuide";
import { SessionContext, useProject, useSession } from "./session";
import { LEAST_WIDTH, useIsNarrow } from "./narrow";
import { LookOnly } from "./lookOnly";
import { thumbnailOf } from "./thumbnail";
import { TopBar } from "./topBar";
import { useTools } from "./workspace";

/** Opens a project for the screens below it and shows the bar on top. */
export function ProjectFrame({ projectId, children }: { projectId: string; children: ReactNode }) {
  const { sessions } = useTools();
  const state = useStore(sessions.store, (all) => all[projectId]);
  const isNarrow = useIsNarrow();
  useEffect(() => {
    sessions.open(projectId).catch(() => undefined); // the store says why it is not open
    return () => sessions.get(projectId)?.board.flush();
  }, [projectId, sessions]);
  if (!state || "opening" in state) return null;
  if ("absence" in state) {
    const { absence, following } = state;
    const elsewhere = <Elsewhere absence={absence} onTakeOver={() => void sessions.open(projectId, true)} />;
    if (!following)
      return (
        <NotHere absence={absence} reason={state.reason}>
          {elsewhere}
        </NotHere>
      );
    return (
      <SessionContext.Provider value={following}>
        <LookOnly>{elsewhere}</LookOnly>
      </SessionContext.Provider>
    );
  }
  const { session } = state;
  return (
    <SessionContext.Provider value={session}>
      {isNarrow ? (
        <LookOnly>
          Choosing, stacking and comparing need a window of {LEAST_WIDTH} px or more. What runs goes on meanwhile.
        </LookOnly>
      ) : (
        <div className="flex h-screen flex-col">
          <a
            href="#main"
            className="sr-only rounded border border-accent bg-panel px-2 py-1 focus:not-sr-only focus:absolute focus:z-50"
          >
            Skip to the work
          </a>
          <TopBar />
          <Problems />
          <DemoGuide />
          <ThumbnailKeeper />
          <main id="main" tabIndex={-1} className="min-h-0 flex-1 outline-none">
            {children}
          </main>
        </div>
      )}
      <Notices />
    </SessionContext.Provider>
  );
}

/** Why there is nothing to show, and what to do. */
function NotHere({ absence, reason, children }: { absence: Absence; reason?: string; children: ReactNode }) {
  if (absence === "missing")
    return (
      <EmptyState title="No such project in this browser">
        It may have been deleted, or made in another browser. {SHELF}
      </EmptyState>
    );
  if (absence === "unreadable")
    return (
      <EmptyState title="This project cannot be opened now">
        {reason ?? "The browser's storage did not give it out; nothing was changed of it. Reload the page."} {SHELF}
      </EmptyState>
    );
  return <main className="p-6">{children}</main>;
}

const SHELF = (
  <Link href="/" className="text-accent underline">
    Back to the shelf
  </Link>
);

/** That another tab works on the project, and the way to work on it here. */
function Elsewhere({ absence, onTakeOver }: { absence: Absence; onTakeOver: () => void }) {
  return (
    <div className="flex items-center gap-3">
      <p className="min-w-0 flex-1">
        <span className="text-text">
          {absence === "taken" ? "Another tab took this project over." : "Open in another tab."}
        </span>{" "}
        What is done there shows here as it comes.{" "}
        {absence === "taken"
          ? "All that was done here is kept, and is there in the other tab."
          : "Taken over, it is saved and closed there, and work that runs there ends."}
      </p>
      <Button kind="primary" onClick={onTakeOver}>
        Take it over here
      </Button>
    </div>
  );
}

function Problems() {
  const session = useSession();
  const { store: jobStore, dismiss } = session.jobs;
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
      {problems.some((problem) => problem.endsWith(LEFT_AS_IT_IS)) ? (
        <div className="flex items-center gap-3 border-l-2 border-warn bg-panel px-3 py-1.5">
          <span className="flex-1">Some of what is stored cannot be read. Nothing was changed of it.</span>
          <Button help="Removes these records and their files for good" onClick={() => void session.removeDamaged()}>
            Remove what cannot be read
          </Button>
        </div>
      ) : null}
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
      .catch(() => undefined); // the card is shown without a picture; opening the stack says what is wrong
    return () => {
      gone = true;
    };
  }, [session, newest]);
  return null;
}
