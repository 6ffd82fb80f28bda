"use client";

import type { RefCallback } from "react";
import { useEffect, useState } from "react";

/** An element that gets `box` as its ref, and its size in CSS px, kept up to date. */
export interface Sized {
  box: RefCallback<HTMLElement>;
  element: HTMLElement | null;
  size: { width: number; height: number };
}

export function useSize(): Sized {
  const [element, setElement] = useState<HTMLElement | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry.contentRect;
      setSize({ width: Math.floor(width), height: Math.floor(height) });
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, [element]);
  return { box: setElement, element, size };
}
