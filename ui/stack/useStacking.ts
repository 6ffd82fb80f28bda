"use client";

import { useStore } from "zustand";
import { useSession } from "../frame/session";

/** The running stack job, if there is one. */
export function useStacking() {
  const jobs = useStore(useSession().jobs.store, (state) => state.jobs);
  return jobs.find((job) => job.kind === "stack" && !job.error);
}
