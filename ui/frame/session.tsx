"use client";

import { usePathname } from "next/navigation";
import { createContext, useContext, useEffect } from "react";
import { useStore } from "zustand";
import { projectScale } from "@/state/pixelScale";
import type { ProjectSession, ProjectState } from "@/state/project";

/** The open project, for everything inside ProjectFrame. */
export const SessionContext = createContext<ProjectSession | null>(null);

export function useSession(): ProjectSession {
  const session = useContext(SessionContext);
  if (!session) throw new Error("useSession must be called inside ProjectFrame");
  return session;
}

export function useProject<T>(select: (state: ProjectState) => T): T {
  return useStore(useSession().store, select);
}

/** arcsec to a pixel of the project's coordinates; null where nothing says it. */
export const useProjectScale = (): number | null => useProject(projectScale);

/** Remembers the stage that is open, so that the project comes back at the same place. */
export function useStage(): ProjectState["project"]["stage"] {
  const session = useSession();
  const last = usePathname().split("/").pop();
  const stage = last === "stack" || last === "compare" || last === "finish" ? last : "subs";
  useEffect(() => {
    if (session.project.stage !== stage) session.saveProject({ stage });
  }, [session, stage]);
  return stage;
}
