"use client";

import type { StretchCurve } from "@/core/operations";
import type { ShownRegion } from "./region";
import { usePainted } from "./usePainted";

interface Props {
  shown: ShownRegion | null;
  curves: StretchCurve[] | null;
  scaleValues?: number;
  /** Picture coordinates of the view's left and top edge, and screen px per picture px. */
  left: number;
  top: number;
  scale: number;
  pending: boolean;
  onDrawn?: () => void;
}

/** A crop drawn where it belongs in a view; pixels are shown as pixels from 1:1 on. */
export function PlacedCrop({ shown, curves, scaleValues = 1, left, top, scale, pending, onDrawn }: Props) {
  const canvas = usePainted(shown?.raster ?? null, curves, { scaleValues, onDrawn });
  return (
    <canvas
      ref={canvas}
      data-pending={pending}
      className={scale >= 1 ? "pixels" : ""}
      style={
        shown
          ? {
              position: "absolute",
              left: (shown.region.x - left) * scale,
              top: (shown.region.y - top) * scale,
              width: shown.raster.width * shown.reduce * scale,
              height: shown.raster.height * shown.reduce * scale,
            }
          : { display: "none" }
      }
    />
  );
}
