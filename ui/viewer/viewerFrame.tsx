"use client";

import type { ReactNode } from "react";
import { useEffect, useEffectEvent } from "react";
import type { ChannelCurve } from "@/core/display";
import type { Region } from "@/core/raster";
import { intersectRegions } from "@/core/raster";
import { PlacedCrop } from "./placedCrop";
import type { RegionState } from "./region";
import { useDrag } from "./useDrag";
import { useSize } from "./useSize";

/** Where a viewer looks: the centre in px of the picture, and screen px per picture px (null: all of it fits). */
export interface Viewport {
  x: number;
  y: number;
  scale: number | null;
}

export interface FrameProps {
  /** Where pixels come from: a hook that is asked for the region in sight; not `ready` before the size is known. */
  useRegion: (region: Region, reduce: number, ready: boolean) => RegionState;
  width: number;
  height: number;
  curves: ChannelCurve[] | null;
  /** Values are multiplied by this before the curve. */
  scaleValues?: number;
  viewport: Viewport;
  onViewport: (viewport: Viewport) => void;
  /** Drawn over the picture; gets the place of picture px on the screen. */
  overlay?: (toScreen: (x: number, y: number) => [number, number], scale: number) => ReactNode;
  label: string;
}

const MOST = 16;

/** A picture that is smaller than its window is enlarged by a whole number: a planet is no stamp, and its pixels stay square. */
export const fittingScale = (fit: number): number => (fit < 1 ? fit : Math.min(MOST, Math.floor(fit)));

/** A picture to look around in: drag to move, wheel to zoom, double click for 1:1 or all of it. */
export function ViewerFrame({
  useRegion,
  width,
  height,
  curves,
  scaleValues = 1,
  viewport,
  onViewport,
  overlay,
  label,
}: FrameProps) {
  const { box, element, size } = useSize();
  const fit = Math.min(size.width / width, size.height / height) || 1;
  const scale = viewport.scale ?? fittingScale(fit);
  const centre = viewport.scale === null ? { x: width / 2, y: height / 2 } : viewport;
  const reduce = Math.max(1, Math.floor(1 / scale + 1e-6));
  const left = centre.x - size.width / 2 / scale;
  const top = centre.y - size.height / 2 / scale;
  const wanted = intersectRegions(
    {
      x: Math.floor(left / reduce) * reduce,
      y: Math.floor(top / reduce) * reduce,
      width: Math.ceil(size.width / scale / reduce + 2) * reduce,
      height: Math.ceil(size.height / scale / reduce + 2) * reduce,
    },
    { x: 0, y: 0, width, height },
  );
  const drag = useDrag(
    () => ({ ...centre, scale }),
    (from, { fromX, fromY }) =>
      onViewport({ x: from.x - fromX / from.scale, y: from.y - fromY / from.scale, scale: from.scale }),
  );
  const { shown, pending, error } = useRegion(wanted, reduce, size.width > 0);

  const zoom = useEffectEvent((event: WheelEvent, bounds: DOMRect) => {
    const factor = event.deltaY < 0 ? 1.25 : 0.8;
    const next = Math.min(MOST, Math.max(fit * 0.5, scale * factor));
    const px = left + (event.clientX - bounds.left) / scale;
    const py = top + (event.clientY - bounds.top) / scale;
    const x = px - (event.clientX - bounds.left - bounds.width / 2) / next;
    const y = py - (event.clientY - bounds.top - bounds.height / 2) / next;
    onViewport({ x, y, scale: next });
  });
  useEffect(() => {
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      zoom(event, element.getBoundingClientRect());
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, [element]);

  const toScreen = (x: number, y: number): [number, number] => [(x + 0.5 - left) * scale, (y + 0.5 - top) * scale];
  return (
    <div
      ref={box}
      role="img"
      aria-label={label}
      className="relative h-full w-full touch-none overflow-hidden bg-page"
      {...drag}
      onDoubleClick={() => onViewport(viewport.scale === null ? { ...centre, scale: 1 } : { ...centre, scale: null })}
    >
      <PlacedCrop
        shown={shown}
        curves={curves}
        scaleValues={scaleValues}
        left={left}
        top={top}
        scale={scale}
        pending={pending}
      />
      {overlay?.(toScreen, scale)}
      {pending && !shown ? (
        <div className="absolute inset-0 flex items-center justify-center text-quiet">Reading …</div>
      ) : null}
      {error ? (
        <div role="alert" className="absolute inset-x-0 bottom-0 bg-panel px-3 py-2 text-warn">
          {error.message} {error.message.includes(error.advice) ? "" : error.advice}
        </div>
      ) : null}
    </div>
  );
}
