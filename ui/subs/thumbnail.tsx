"use client";

import { useEffect, useMemo, useState } from "react";
import { curvesOf, DEFAULT_DISPLAY } from "@/core/display";
import type { Raster } from "@/core/raster";
import { PRIORITY } from "@/engine/pool";
import type { SubRecord } from "@/storage";
import { useSession } from "../frame/session";
import { usePainted } from "../viewer/usePainted";

/** Small pictures that were made, by frame; made once for each while the page is open. */
const made = new Map<string, Raster>();
const MOST = 4000;

/** A small picture of a sub, made when its row comes into sight. */
export function Thumbnail({ sub, height }: { sub: SubRecord; height: number }) {
  const session = useSession();
  const key = session.calibration.shownKey(sub);
  const [raster, setRaster] = useState<Raster | null>(made.get(key) ?? null);
  const { width: w, height: h } = sub.measuredSize;
  useEffect(() => {
    const known = made.get(key);
    if (known) return setRaster(known);
    const abort = new AbortController();
    const reduce = Math.max(1, 2 * Math.floor(h / height / 2));
    session.calibration
      .shownFrame(sub)
      .then((frame) =>
        session.pool.run(
          "flip",
          { frame, relation: null, size: sub.measuredSize, region: { x: 0, y: 0, width: w, height: h }, reduce },
          { priority: PRIORITY.batch, signal: abort.signal },
        ),
      )
      .then((small) => {
        if (made.size >= MOST) made.clear();
        made.set(key, small);
        if (!abort.signal.aborted) setRaster(small);
      })
      .catch(() => undefined); // the picture itself tells what is wrong
    return () => abort.abort();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key holds all that matters
  }, [key, session]);
  const curves = useMemo(() => curvesOf({ display: DEFAULT_DISPLAY, levels: sub.stretch }), [sub.stretch]);
  const canvas = usePainted(raster, curves);
  return (
    <canvas
      ref={canvas}
      width={1}
      height={1}
      className="shrink-0 bg-page"
      style={{ height, width: Math.round((height * w) / h) }}
    />
  );
}
