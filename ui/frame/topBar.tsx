"use client";

import { CircleHelp, Square } from "lucide-react";
import Link from "next/link";
import { useStore } from "zustand";
import { IconButton } from "../kit/button";
import { counted, duration } from "../kit/format";
import { ProgressLine } from "../kit/notice";
import { HelpOverlay, useHelp } from "./help";
import { ProjectTitle } from "./projectTitle";
import { useGrades } from "../subs/grades";
import { useProject, useSession, useStage } from "./session";

/** The mark: the same grey at three strengths, and the one that was chosen. */
export function Mark() {
  return (
    <svg width="20" height="20" viewBox="0 0 32 32" aria-hidden>
      <rect x="3" y="6" width="7" height="20" fill="#3a3a3a" />
      <rect x="12" y="6" width="7" height="20" fill="#7a7a7a" />
      <rect x="21" y="6" width="7" height="20" fill="#e8e8e8" />
      <circle cx="24.5" cy="16" r="2.2" fill="#e0a44a" />
    </svg>
  );
}

export function TopBar() {
  const project = useProject((state) => state.project);
  const subs = useProject((state) => state.subs);
  const stacks = useProject((state) => state.stacks);
  const lanes = useProject((state) => state.board?.present.lanes.length ?? 0);
  const stage = useStage();
  const help = useHelp();
  const { lights, verdicts } = useGrades();
  const included = lights.filter(({ id }) => verdicts.get(id)?.included).length;
  const stages = [
    { id: "subs", label: subs.length > 0 ? `Subs ${included} of ${lights.length}` : "Subs" },
    { id: "stack", label: stacks.length > 0 ? `Stack ${stacks.length}` : "Stack" },
    { id: "compare", label: lanes > 0 ? `Compare ${counted(lanes, "lane")}` : "Compare" },
    { id: "finish", label: "Finish" },
  ];
  return (
    <header className="flex h-11 shrink-0 items-center gap-4 border-b border-line bg-panel px-3">
      <Link href="/" className="flex items-center gap-2" title="All projects" data-help="All projects">
        <Mark />
        <span className="sr-only">All projects</span>
      </Link>
      <ProjectTitle />
      <nav className="flex h-full items-stretch gap-1" aria-label="Stages">
        {stages.map(({ id, label }) => (
          <Link
            key={id}
            href={`/p/${project.id}/${id}`}
            aria-current={stage === id ? "page" : undefined}
            className={`flex items-center border-b-2 px-3 ${stage === id ? "border-accent text-text" : "border-transparent text-quiet hover:text-text"}`}
          >
            {label}
          </Link>
        ))}
      </nav>
      <div className="flex-1" />
      <RunningWork />
      <IconButton label="What is what, and the keys (?)" onClick={help.toggle}>
        <CircleHelp size={16} />
      </IconButton>
      {help.open ? <HelpOverlay stage={stage} onClose={help.toggle} /> : null}
    </header>
  );
}

function RunningWork() {
  const { store } = useSession().jobs;
  const jobs = useStore(store, (state) => state.jobs);
  const running = jobs.filter((job) => !job.error);
  if (running.length === 0) return null;
  const job = running[0];
  return (
    <div className="flex w-96 items-center gap-2" data-testid="running">
      <div className="min-w-0 flex-1">
        <div className="flex justify-between gap-2 text-sm">
          <span className="truncate">{job.doing}</span>
          <span className="figures shrink-0 text-quiet">
            {Math.round(job.fraction * 100)} %{job.secondsLeft === null ? "" : ` · ${duration(job.secondsLeft)} left`}
          </span>
        </div>
        <ProgressLine fraction={job.fraction} />
      </div>
      <IconButton label={`Stop: ${job.label}`} onClick={job.stop}>
        <Square size={12} />
      </IconButton>
    </div>
  );
}
