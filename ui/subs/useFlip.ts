"use client";

import { useEffect, useRef, useState } from "react";
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

/** What tells pixels of a frame in a view apart from others. */
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
  const plan = useProject((state) => state.project.calibration);
  const cache = useRef(byteCache<Raster>(READY_BYTES, rasterBytes));
  const latest = useRef({ view, onPrepared });
  latest.current = { view, onPrepared };

  return function useFlipRegion(region: Region, reduce: number, ready: boolean): RegionState {
    const { order, current, registered } = view;
    const spot = regionKey(region, reduce);
    const key = frameKey(current, session.calibration.shownKey(current), registered, spot);
    const [state, setState] = useState<RegionState>({ shown: null, pending: true, error: null });
    const place = useRef({ region, reduce });
    place.current = { region, reduce };

    useEffect(() => {
      const known = cache.current.get(key);
      if (known) {
        setState({ shown: { raster: known, ...place.current }, pending: false, error: null });
        return;
      }
      if (!ready) return;
      const abort = new AbortController();
      setState((before) => ({ ...before, pending: true }));
      load({ key, sub: latest.current.view.current }, PRIORITY.view, abort.signal)
        .then((raster) => {
          if (!abort.signal.aborted) setState({ shown: { raster, ...place.current }, pending: false, error: null });
        })
        .catch((error: unknown) => {
          if (error instanceof Stopped || abort.signal.aborted) return;
          setState((before) => ({ ...before, pending: false, error: failureOf(error) }));
        });
      return () => abort.abort();
    }, [key, ready]);

    useEffect(() => {
      if (!ready) return;
      const abort = new AbortController();
      const timer = setTimeout(() => {
        // A frame that cannot be prepared says so when it is shown.
        prepare(spot, place.current, abort.signal).catch(() => undefined);
      }, REST_MS);
      return () => {
        clearTimeout(timer);
        abort.abort();
      };
      // eslint-disable-next-line react-hooks/exhaustive-deps -- the keys hold all that matters
    }, [spot, order, plan, registered, ready]);

    async function load({ key: wanted, sub }: Wanted, priority: 1 | 3, signal: AbortSignal): Promise<Raster> {
      const known = cache.current.get(wanted);
      if (known) return known;
      const relation = latest.current.view.registered ? (sub.relation?.value ?? null) : null;
      const raster = await session.pool.run(
        "flip",
        {
          frame: await session.calibration.shownFrame(sub),
          relation,
          size: latest.current.view.size,
          ...place.current,
        },
        { priority, signal },
      );
      cache.current.set(wanted, raster);
      return raster;
    }

    /** Readies the frames around the current one while the view stays where it is. */
    async function prepare(at: string, where: { region: Region; reduce: number }, signal: AbortSignal): Promise<void> {
      const { view: now, onPrepared: tell } = latest.current;
      const middle = Math.max(
        0,
        now.order.findIndex(({ id }) => id === now.current.id),
      );
      const bytes =
        (where.region.width / where.reduce) *
        (where.region.height / where.reduce) *
        4 *
        now.current.measuredSize.channels;
      const most = Math.max(1, Math.min(now.order.length, Math.floor(READY_BYTES / Math.max(1, bytes)) - 2));
      const nearest = now.order
        .map((sub, i) => ({
          sub,
          distance: Math.abs(i - middle),
          key: frameKey(sub, session.calibration.shownKey(sub), now.registered, at),
        }))
        .sort((a, b) => a.distance - b.distance)
        .slice(0, most);
      try {
        for (const [done, wanted] of nearest.entries()) {
          if (signal.aborted) return;
          tell({ ready: done, of: nearest.length });
          await load(wanted, PRIORITY.batch, signal);
        }
        tell({ ready: nearest.length, of: nearest.length });
      } catch (error) {
        tell(null);
        if (!(error instanceof Stopped)) return; // the frame tells what is wrong when it is looked at
      }
    }

    return state;
  };
}
