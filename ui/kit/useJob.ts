"use client";

import { useStore } from "zustand";
import type { JobKind, JobView } from "@/state/jobs";
import { useSession } from "../frame/session";

/** The job of a kind that runs; undefined where none does. */
export const useJob = (kind: JobKind): JobView | undefined =>
  useStore(useSession().jobs.store, ({ jobs }) => jobs.find((job) => job.kind === kind && job.error === null));
