"use client";

import type { ReactNode } from "react";
import { createContext, useContext, useEffect, useState } from "react";
import { inWords } from "@/core/job";
import { createBrowserPool } from "@/engine/browser/pool";
import type { WorkerPool } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import { browserClaims, NO_CLAIMS } from "@/state/claims";
import { Sessions } from "@/state/sessions";
import { Repository } from "@/storage";
import { EmptyState } from "../kit/notice";

export interface Tools {
  pool: WorkerPool;
  repository: Repository;
  sessions: Sessions;
}

const STORAGE = "Storage is not available";

const ToolsContext = createContext<Tools | null>(null);

/** Engine, storage and open projects for everything below; opened once, in the browser. */
export function Workspace({ children }: { children: ReactNode }) {
  const [tools, setTools] = useState<Tools | null>(null);
  const [failure, setFailure] = useState<{ title: string; message: string } | null>(null);
  useEffect(() => {
    let pool: WorkerPool | null = null;
    let repository: Repository | null = null;
    let sessions: Sessions | null = null;
    let gone = false;
    const flush = () => sessions?.flush();
    const ask = (event: BeforeUnloadEvent) => {
      // The browser asks in its own words whether work that runs may end.
      if (sessions?.isBusy()) event.preventDefault();
    };
    window.addEventListener("pagehide", flush);
    window.addEventListener("beforeunload", ask);
    const channel = new BroadcastChannel("dunkel");
    const claims = "locks" in navigator ? browserClaims(navigator.locks, channel) : NO_CLAIMS;
    const news = new BroadcastChannel("dunkel written");
    news.addEventListener("message", () => sessions?.hear());
    Repository.open({
      onBlocked: () =>
        setFailure({
          title: STORAGE,
          message: "Another tab holds an older version of the stored projects open. Close it and reload.",
        }),
      onLost: () => setFailure({ title: STORAGE, message: "The browser closed the stored projects. Reload the page." }),
      onWritten: () => news.postMessage(null),
    })
      .then((opened) => {
        if (gone) return opened.close();
        repository = opened;
        pool = createBrowserPool();
        pool.onBroken = ({ message, advice }) =>
          setFailure({ title: "The engine is not available", message: inWords(message, advice) });
        sessions = new Sessions(pool, repository, claims);
        setTools({ pool, repository, sessions });
      })
      .catch((error: unknown) =>
        setFailure({
          title: STORAGE,
          message: `The browser's storage cannot be used (${failureOf(error).message}). Allow this page to store data (private windows often do not), free disk space, and reload.`,
        }),
      );
    return () => {
      gone = true;
      window.removeEventListener("pagehide", flush);
      window.removeEventListener("beforeunload", ask);
      sessions?.close();
      channel.close();
      news.close();
      pool?.close();
      repository?.close();
      setTools(null);
    };
  }, []);
  if (failure)
    return (
      <main className="h-screen">
        <EmptyState title={failure.title}>{failure.message}</EmptyState>
      </main>
    );
  if (!tools) return null;
  return <ToolsContext.Provider value={tools}>{children}</ToolsContext.Provider>;
}

export function useTools(): Tools {
  const tools = useContext(ToolsContext);
  if (!tools) throw new Error("useTools must be called inside Workspace");
  return tools;
}
