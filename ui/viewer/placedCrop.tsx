"use client";

import type { ChannelCurve } from "@/core/display";
import type { Shows } from "@/storage";
import type { ShownRegion } from "./region";
import { usePainted } from "./usePainted";

interface Props {
  shown: ShownRegion | null;
  curves: ChannelCurve[] | null;
  scaleValues?: number;
  /** What of it is shown; its colours without. */
  shows?: Shows;
  /** Noise that is shown in full colour. */
  noiseSpan?: number;
  /** Picture coordinates of the view's left and top edge, and screen px per picture px. */
  left: number;
  top: number;
  scale: number;
  pending: boolean;
  onDrawn?: () => void;
}

/** Screen px per pixel from which on lines can part them. */
const GRID_FROM = 8;

/** A crop drawn where it belongs in a view; pixels are shown as pixels from 1:1 on. */
export function PlacedCrop(props: Props) {
  const { shown, curves, scaleValues = 1, shows, noiseSpan, left, top, scale, pending, onDrawn } = props;
  const span = shown?.isNoise ? noiseSpan : undefined;
  const canvas = usePainted(shown?.raster ?? null, curves, { scaleValues, shows, noiseSpan: span, onDrawn });
  const place = shown && {
    left: (shown.region.x - left) * scale,
    top: (shown.region.y - top) * scale,
    width: shown.raster.width * shown.reduce * scale,
    height: shown.raster.height * shown.reduce * scale,
  };
  return (
    <>
      <canvas
        ref={canvas}
        data-pending={pending}
        className={scale >= 1 ? "pixels" : ""}
        style={place ? { position: "absolute", ...place } : { display: "none" }}
      />
      {shows?.grid && scale >= GRID_FROM && place ? (
        <div
          aria-hidden
          className="pointer-events-none absolute"
          style={{
            ...place,
            backgroundImage:
              "linear-gradient(to right, #0d0d0d80 1px, transparent 1px), linear-gradient(to bottom, #0d0d0d80 1px, transparent 1px)",
            backgroundSize: `${scale}px ${scale}px`,
          }}
        />
      ) : null}
    </>
  );
}
