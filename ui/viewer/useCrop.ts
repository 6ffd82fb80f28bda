"use client";

import { useEffect, useEffectEvent, useState } from "react";
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
  /** How much of one that is waited for is done, 0 … 1, where that was asked for. */
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
  const [state, setState] = useState<Answered>({ of: null, shown: null, error: null });
  const [progress, setProgress] = useState<{ of: string; share: number } | null>(null);
  const { width, height } = region;
  const { priority, affinity, onto = null, isNoise = false, tellsShare = false } = options;
  const asked = treatment && { treatment, region, reduce, onto, isNoise };
  const key = asked ? cropKey(asked) : null;
  const isAnswered = state.of === key;
  const known = asked && !isAnswered ? crops.get(asked) : undefined;
  if (known) setState(answered(known));

  function answered({ raster, ms }: Crop): Answered {
    const shown = treatment && { raster, region, reduce, ms, treatment, isNoise };
    return { of: key, shown, error: null };
  }

  const begin = useEffectEvent((signal: AbortSignal) => {
    if (!asked || isAnswered) return;
    const onProgress = tellsShare && key ? (share: number) => setProgress({ of: key, share }) : undefined;
    crops
      .ask(asked, { priority, affinity, signal, onProgress })
      .then((crop) => signal.aborted || setState(answered(crop)))
      .catch((error: unknown) => {
        if (error instanceof Stopped || signal.aborted) return;
        setState((before) => ({ ...before, of: key, error: failureOf(error) }));
      });
  });
  useEffect(() => {
    if (key === null || width <= 0 || height <= 0) return;
    const abort = new AbortController();
    begin(abort.signal);
    return () => abort.abort();
  }, [crops, key, priority, affinity, width, height, reduce, isNoise, tellsShare]);
  const pending = key === null ? state.shown === null : !isAnswered;
  return {
    shown: state.shown,
    pending,
    share: pending && progress?.of === key ? progress.share : null,
    error: state.error,
  };
}

/** The newest crop, and what it answers. */
interface Answered {
  of: string | null;
  shown: CropResult | null;
  error: CropState["error"];
}
