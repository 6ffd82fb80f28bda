"use client";

import { useMemo } from "react";
import { curvesOf, DEFAULT_DISPLAY } from "@/core/display";
import type { Raster } from "@/core/raster";
import { PRIORITY } from "@/engine/pool";
import type { SubRecord } from "@/storage";
import { useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";
import { usePainted } from "../viewer/usePainted";

/** Small pictures that were made, by frame; made once for each while the page is open. */
const made = new Map<string, Raster>();
const MOST = 4000;

/** A small picture of a sub, made when its row comes into sight. */
export function Thumbnail({ sub, height }: { sub: SubRecord; height: number }) {
  const session = useSession();
  const key = session.calibration.shownKey(sub);
  const { width: w, height: h } = sub.measuredSize;
  const known = made.get(key);
  const answer = useAnswer(known ? null : key, 0, async (of, signal) => {
    const frame = await session.calibration.shownFrame(sub);
    const reduce = Math.max(1, 2 * Math.floor(h / height / 2));
    const region = { x: 0, y: 0, width: w, height: h };
    const payload = { frame, relation: null, size: sub.measuredSize, region, reduce };
    const small = await session.pool.run("flip", payload, { priority: PRIORITY.batch, signal });
    if (made.size >= MOST) made.clear();
    made.set(of, small);
    return small;
  });
  const raster = known ?? answer.value;
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
