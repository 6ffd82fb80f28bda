"use client";

import { useEffect, useEffectEvent, useRef, useState } from "react";
import { Stopped } from "@/core/job";
import type { Raster, Region } from "@/core/raster";
import { rasterBytes } from "@/core/raster";
import { byteCache } from "@/engine/cache";
import { PRIORITY } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import type { SubRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import type { RegionState } from "../viewer/region";

/** Memory for frames that wait to be flipped to. */
const READY_BYTES = 512 * 2 ** 20;
/** Preparing begins when the view has been at rest for this long. */
const REST_MS = 350;

export interface FlipView {
  /** Frames in the order in which they are flipped through. */
  order: readonly SubRecord[];
  current: SubRecord;
  /** Lay frames over the reference and give them its light and sky. */
  registered: boolean;
  /** Size of the reference, in px. */
  size: { width: number; height: number };
}

/** Frames that are ready to be shown at once, and of how many. */
export interface Prepared {
  ready: number;
  of: number;
}

interface Wanted {
  key: string;
  sub: SubRecord;
}

const regionKey = (region: Region, reduce: number): string =>
  `${region.x},${region.y},${region.width},${region.height}/${reduce}`;

/** What distinguishes pixels of a frame in a view from others. */
function frameKey(sub: SubRecord, pixels: string, registered: boolean, view: string): string {
  const relation = registered ? (sub.relation?.value ?? null) : null;
  return `${pixels} ${relation ? JSON.stringify([relation.toReference, relation.scale]) : "as it came"} ${view}`;
}

/**
 * Frames to flip through: the current one as soon as it is there, and then the others around it, nearest first, as far as memory
 * reaches, so that flipping shows them at once. `onPrepared` hears how many are ready.
 */
export function useFlip(view: FlipView, onPrepared: (prepared: Prepared | null) => void) {
  const session = useSession();
  const cache = useRef(byteCache<Raster>(READY_BYTES, rasterBytes));

  return function useFlipRegion(region: Region, reduce: number, ready: boolean): RegionState {
    const plan = useProject((state) => state.project.calibration);
    const { order, current, registered } = view;
    const spot = regionKey(region, reduce);
    const key = frameKey(current, session.calibration.shownKey(current), registered, spot);
    const [state, setState] = useState<RegionState>({ shown: null, pending: true, error: null });

    /** Shows the current frame, or asks for it. */
    const begin = useEffectEvent((signal: AbortSignal) => {
      const show = (raster: Raster) => setState({ shown: { raster, region, reduce }, pending: false, error: null });
      const known = cache.current.get(key);
      if (known) return show(known);
      if (!ready) return;
      setState((before) => ({ ...before, pending: true }));
      load({ key, sub: current }, PRIORITY.view, signal)
        .then((raster) => signal.aborted || show(raster))
        .catch((error: unknown) => {
          if (error instanceof Stopped || signal.aborted) return;
          setState((before) => ({ ...before, pending: false, error: failureOf(error) }));
        });
    });
    useEffect(() => {
      const abort = new AbortController();
      begin(abort.signal);
      return () => abort.abort();
    }, [key, ready]);

    const prepareAround = useEffectEvent(prepare);
    useEffect(() => {
      if (!ready) return;
      const abort = new AbortController();
      const timer = setTimeout(() => {
        // A frame that cannot be prepared says so when it is shown.
        prepareAround(abort.signal).catch(() => undefined);
      }, REST_MS);
      return () => {
        clearTimeout(timer);
        abort.abort();
      };
    }, [spot, order, plan, registered, ready]);

    async function load({ key: wanted, sub }: Wanted, priority: 1 | 3, signal: AbortSignal): Promise<Raster> {
      const known = cache.current.get(wanted);
      if (known) return known;
      const relation = registered ? (sub.relation?.value ?? null) : null;
      const raster = await session.pool.run(
        "flip",
        { frame: await session.calibration.shownFrame(sub), relation, size: view.size, region, reduce },
        { priority, signal },
      );
      cache.current.set(wanted, raster);
      return raster;
    }

    /** Readies the frames around the current one while the view stays where it is. */
    async function prepare(signal: AbortSignal): Promise<void> {
      const middle = Math.max(
        0,
        order.findIndex(({ id }) => id === current.id),
      );
      const samples = (region.width / reduce) * (region.height / reduce) * current.measuredSize.channels;
      const most = Math.max(1, Math.min(order.length, Math.floor(READY_BYTES / Math.max(1, 4 * samples)) - 2));
      const nearest = order
        .map((sub, i) => ({
          sub,
          distance: Math.abs(i - middle),
          key: frameKey(sub, session.calibration.shownKey(sub), registered, spot),
        }))
        .sort((a, b) => a.distance - b.distance)
        .slice(0, most);
      try {
        for (const [done, wanted] of nearest.entries()) {
          if (signal.aborted) return;
          onPrepared({ ready: done, of: nearest.length });
          await load(wanted, PRIORITY.batch, signal);
        }
        onPrepared({ ready: nearest.length, of: nearest.length });
      } catch (error) {
        onPrepared(null);
        if (!(error instanceof Stopped)) return; // the frame says what is wrong when it is looked at
      }
    }

    return state;
  };
}
