"use client";

import { useEffect, useRef, useState } from "react";
import { Stopped } from "@/core/job";
import type { Raster, Region } from "@/core/raster";
import type { Warp } from "@/core/register";
import type { Priority } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import { failureOf } from "@/engine/protocol";
import type { Crop, CropBook } from "@/state/crops";
import { cropKey } from "@/state/crops";

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
  crops: CropBook,
  treatment: Treatment | null,
  region: Region,
  reduce: number,
  options: { priority: Priority; affinity: string; onto?: Warp | null },
): CropState {
  const [state, setState] = useState<CropState>({ shown: null, pending: true, error: null });
  const { width, height } = region;
  const { priority, affinity, onto = null } = options;
  const key = treatment ? cropKey({ treatment, region, reduce, onto }) : null;
  const latest = useRef({ treatment, region, onto });
  latest.current = { treatment, region, onto };
  useEffect(() => {
    const wanted = latest.current;
    if (key === null || !wanted.treatment || width <= 0 || height <= 0) return;
    const abort = new AbortController();
    const asked = { treatment: wanted.treatment, region: wanted.region, reduce, onto: wanted.onto };
    const show = ({ raster, ms }: Crop) => {
      const shown = { raster, region: asked.region, reduce, ms, treatment: asked.treatment };
      setState({ shown, pending: false, error: null });
    };
    const known = crops.get(asked);
    if (known) return show(known);
    setState((before) => ({ ...before, pending: true }));
    crops
      .ask(asked, { priority, affinity, signal: abort.signal })
      .then((crop) => {
        if (!abort.signal.aborted) show(crop);
      })
      .catch((error: unknown) => {
        if (error instanceof Stopped || abort.signal.aborted) return;
        setState((before) => ({ ...before, pending: false, error: failureOf(error) }));
      });
    return () => abort.abort();
  }, [crops, key, priority, affinity, width, height, reduce]);
  return state;
}
