"use client";

import type { RefObject } from "react";
import { useLayoutEffect, useRef } from "react";
import type { ChannelCurve } from "@/core/display";
import type { Raster } from "@/core/raster";
import type { Shows } from "@/storage";
import { noiseImage, toImageData } from "./display";

/** Paints a raster on a canvas of its size, before the browser shows the next picture. */
export function paint(
  canvas: HTMLCanvasElement,
  raster: Raster,
  curves: ChannelCurve[] | null,
  scaleValues = 1,
  shows: Shows | null = null,
  noiseSpan?: number,
): void {
  canvas.width = raster.width;
  canvas.height = raster.height;
  const image = noiseSpan ? noiseImage(raster, noiseSpan) : toImageData(raster, curves, scaleValues, shows);
  canvas.getContext("2d")?.putImageData(image, 0, 0);
}

/** The ref of a canvas that always shows the raster. */
export function usePainted(
  raster: Raster | null,
  curves: ChannelCurve[] | null,
  options: { scaleValues?: number; shows?: Shows | null; noiseSpan?: number; onDrawn?: () => void } = {},
): RefObject<HTMLCanvasElement | null> {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { scaleValues, shows, noiseSpan, onDrawn } = options;
  useLayoutEffect(() => {
    if (!canvas.current || !raster) return;
    paint(canvas.current, raster, curves, scaleValues, shows, noiseSpan);
    onDrawn?.();
  }, [raster, curves, scaleValues, shows, noiseSpan, onDrawn]);
  return canvas;
}
