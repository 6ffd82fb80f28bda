"use client";

import type { RefObject } from "react";
import { useLayoutEffect, useRef } from "react";
import type { StretchCurve } from "@/core/operations";
import type { Raster } from "@/core/raster";
import type { Shows } from "@/storage";
import { toImageData } from "./display";

/** Paints a raster on a canvas of its size, before the browser shows the next picture. */
export function paint(
  canvas: HTMLCanvasElement,
  raster: Raster,
  curves: StretchCurve[] | null,
  scaleValues = 1,
  shows: Shows | null = null,
): void {
  canvas.width = raster.width;
  canvas.height = raster.height;
  canvas.getContext("2d")?.putImageData(toImageData(raster, curves, scaleValues, shows), 0, 0);
}

/** The ref of a canvas that always shows the raster. */
export function usePainted(
  raster: Raster | null,
  curves: StretchCurve[] | null,
  options: { scaleValues?: number; shows?: Shows | null; onDrawn?: () => void } = {},
): RefObject<HTMLCanvasElement | null> {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { scaleValues, shows, onDrawn } = options;
  useLayoutEffect(() => {
    if (!canvas.current || !raster) return;
    paint(canvas.current, raster, curves, scaleValues, shows);
    onDrawn?.();
  }, [raster, curves, scaleValues, shows, onDrawn]);
  return canvas;
}
