"use client";

import { useEffect } from "react";

/** What can be tried without frames of one's own; the pictures are made by the same simulator (npm run screenshots). */
const DEMOS = [
  {
    kind: "night",
    name: "Weir Nebula, demo",
    action: "Open the demo",
    try: "22 calibrated subs: see them stacked, then compare noise reduction and deconvolution side by side.",
    picture: "/demos/night.png",
  },
  {
    kind: "raw",
    name: "Weir Nebula, raw demo",
    action: "Demo with raw frames",
    try: "Raw colour lights with darks, flats and bias: calibrate, demosaic, find the bad ones.",
    picture: "/demos/raw.png",
  },
  {
    kind: "video",
    name: "Oru, video demo",
    action: "Demo with a video",
    try: "A planet through moving air, 240 frames: rank them and flip through the sharpest.",
    picture: "/demos/video.png",
  },
] as const;

export type Demo = (typeof DEMOS)[number];

/** How long the shelf is at rest before the server is told that the demo may be asked for. */
const RESTS_MS = 500;

/** A card for each demo. Where it is the first thing that can be done, its frames are made while one reads. */
export function DemoCards({ isFirst, onOpen }: { isFirst: boolean; onOpen: (demo: Demo) => void }) {
  useEffect(() => {
    if (!isFirst) return;
    const ask = setTimeout(() => {
      fetch("/api/demo/manifest").catch(() => undefined); // opening it says so
    }, RESTS_MS);
    return () => clearTimeout(ask);
  }, [isFirst]);
  return (
    <ul className="grid grid-cols-[repeat(auto-fill,minmax(260px,1fr))] gap-4" aria-label="Demos">
      {DEMOS.map((demo) => (
        <li
          key={demo.kind}
          className="relative flex flex-col rounded border border-line bg-panel focus-within:border-quiet hover:border-quiet"
        >
          <img src={demo.picture} alt="" className="h-40 w-full rounded-t bg-page object-cover" />
          <div className="px-3 py-2">
            <button
              type="button"
              data-help={`${demo.action}: a new project of simulated frames`}
              className="block text-left text-accent after:absolute after:inset-0"
              onClick={() => onOpen(demo)}
            >
              {demo.action}
            </button>
            <p className="text-sm text-quiet">{demo.try}</p>
          </div>
        </li>
      ))}
    </ul>
  );
}
