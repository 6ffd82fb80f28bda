"use client";

import type { ReactNode } from "react";
import { createContext, useContext, useEffect, useState } from "react";
import { createBrowserPool } from "@/engine/browser/pool";
import type { WorkerPool } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import type { Jobs } from "@/state/jobs";
import { createJobs } from "@/state/jobs";
import { Repository } from "@/storage";
import { EmptyState } from "../kit/notice";

export interface Tools {
  pool: WorkerPool;
  repository: Repository;
  jobs: Jobs;
}

const ToolsContext = createContext<Tools | null>(null);

/** Engine, storage and jobs for everything below; opened once, in the browser. */
export function Workspace({ children }: { children: ReactNode }) {
  const [tools, setTools] = useState<Tools | null>(null);
  const [failure, setFailure] = useState<string | null>(null);
  useEffect(() => {
    let pool: WorkerPool | null = null;
    let repository: Repository | null = null;
    let gone = false;
    Repository.open({
      onBlocked: () =>
        setFailure("Another tab holds an older version of the stored projects open. Close it and reload."),
      onLost: () => setFailure("The browser closed the stored projects. Reload the page."),
    })
      .then((opened) => {
        if (gone) return opened.close();
        repository = opened;
        pool = createBrowserPool();
        setTools({ pool, repository, jobs: createJobs() });
      })
      .catch((error: unknown) => setFailure(`The browser's storage cannot be used: ${failureOf(error).message}`));
    return () => {
      gone = true;
      pool?.close();
      repository?.close();
      setTools(null);
    };
  }, []);
  if (failure) return <EmptyState title="Storage is not available">{failure}</EmptyState>;
  if (!tools) return null;
  return <ToolsContext.Provider value={tools}>{children}</ToolsContext.Provider>;
}

export function useTools(): Tools {
  const tools = useContext(ToolsContext);
  if (!tools) throw new Error("useTools must be called inside Workspace");
  return tools;
}
