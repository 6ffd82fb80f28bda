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
  /** Whether it is half the difference of the halves. */
  isNoise: boolean;
}

export interface CropState {
  shown: CropResult | null;
  pending: boolean;
  /** How much of one that is waited for is done, 0 … 1, where that was asked to be told. */
  share: number | null;
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
  options: { priority: Priority; affinity: string; onto?: Warp | null; isNoise?: boolean; tellsShare?: boolean },
): CropState {
  const [state, setState] = useState<CropState>({ shown: null, pending: true, share: null, error: null });
  const { width, height } = region;
  const { priority, affinity, onto = null, isNoise = false, tellsShare = false } = options;
  const key = treatment ? cropKey({ treatment, region, reduce, onto, isNoise }) : null;
  const latest = useRef({ treatment, region, onto });
  latest.current = { treatment, region, onto };
  useEffect(() => {
    const wanted = latest.current;
    if (key === null || !wanted.treatment || width <= 0 || height <= 0) return;
    const abort = new AbortController();
    const asked = { treatment: wanted.treatment, region: wanted.region, reduce, onto: wanted.onto, isNoise };
    const show = ({ raster, ms }: Crop) => {
      const shown = { raster, region: asked.region, reduce, ms, treatment: asked.treatment, isNoise };
      setState({ shown, pending: false, share: null, error: null });
    };
    const known = crops.get(asked);
    if (known) return show(known);
    setState((before) => ({ ...before, pending: true, share: null }));
    const onProgress = tellsShare ? (share: number) => setState((before) => ({ ...before, share })) : undefined;
    crops
      .ask(asked, { priority, affinity, signal: abort.signal, onProgress })
      .then((crop) => {
        if (!abort.signal.aborted) show(crop);
      })
      .catch((error: unknown) => {
        if (error instanceof Stopped || abort.signal.aborted) return;
        setState((before) => ({ ...before, pending: false, error: failureOf(error) }));
      });
    return () => abort.abort();
  }, [crops, key, priority, affinity, width, height, reduce, isNoise, tellsShare]);
  return state;
}
