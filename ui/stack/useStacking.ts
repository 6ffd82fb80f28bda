"use client";

import { useStore } from "zustand";
import { useTools } from "../frame/workspace";

/** The running stack job, if there is one. */
export function useStacking() {
  const jobs = useStore(useTools().jobs.store, (state) => state.jobs);
  return jobs.find((job) => job.kind === "stack" && !job.error);
}
