"use client";

import { useEffect, useRef, useState } from "react";
import { Stopped } from "@/core/job";
import type { Raster, Region } from "@/core/raster";
import type { Warp } from "@/core/register";
import type { Priority, WorkerPool } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import { failureOf } from "@/engine/protocol";

export interface CropResult {
  raster: Raster;
  region: Region;
  reduce: number;
  /** Milliseconds that the worker took; 0 where it knew the crop already. */
  ms: number;
  treatment: Treatment;
}

export interface CropState {
  shown: CropResult | null;
  pending: boolean;
  error: { message: string; advice: string } | null;
}

/**
 * The newest treated crop: asks for it whenever treatment or region change, stops asking for what is no longer wanted, and
 * keeps showing the last one until the next is there. A null treatment asks for nothing.
 */
export function useCrop(
  pool: WorkerPool,
  treatment: Treatment | null,
  region: Region,
  reduce: number,
  options: { priority: Priority; affinity: string; onto?: Warp | null },
): CropState {
  const [state, setState] = useState<CropState>({ shown: null, pending: true, error: null });
  const { x, y, width, height } = region;
  const { priority, affinity, onto = null } = options;
  const key = treatment
    ? JSON.stringify([treatment.picture.id, treatment.steps, treatment.facts, x, y, width, height, reduce, onto])
    : null;
  const latest = useRef({ treatment, region, onto });
  latest.current = { treatment, region, onto };
  useEffect(() => {
    const wanted = latest.current;
    if (key === null || !wanted.treatment || width <= 0 || height <= 0) return;
    const abort = new AbortController();
    let ms = 0;
    // A crop needs no halves, and every file in a message costs time to hand over.
    const asked = wanted.treatment;
    setState((before) => ({ ...before, pending: true }));
    pool
      .run(
        "crop",
        { treatment: { ...asked, halves: null }, region: wanted.region, reduce, onto: wanted.onto },
        { priority, affinity, signal: abort.signal, onTime: (taken) => (ms = taken) },
      )
      .then((raster) => {
        if (abort.signal.aborted) return;
        const shown = { raster, region: wanted.region, reduce, ms, treatment: asked };
        setState({ shown, pending: false, error: null });
      })
      .catch((error: unknown) => {
        if (error instanceof Stopped || abort.signal.aborted) return;
        setState((before) => ({ ...before, pending: false, error: failureOf(error) }));
      });
    return () => abort.abort();
  }, [pool, key, priority, affinity, width, height, reduce]);
  return state;
}
