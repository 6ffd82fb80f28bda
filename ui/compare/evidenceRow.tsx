"use client";

import type { ReactNode } from "react";
import type { StarStanding } from "@/core/compare";
import { fixed } from "../kit/format";

/** A figure of the evidence with its name; what it is, a hover away. */
export function Row({ label, title, children }: { label: string; title: string; children: ReactNode }) {
  return (
    <div className="flex items-baseline gap-2" title={title}>
      <span className="min-w-0 flex-1 text-quiet">{label}</span>
      <span className="figures whitespace-nowrap">{children}</span>
    </div>
  );
}

export const percent = (share: number): string => `${fixed(100 * share, share < 0.1 ? 2 : 1)} %`;

export const STANDING_WORDS: Record<StarStanding, { label: string; title: string }> = {
  kept: { label: "in the data and both halves", title: "At least 4 σ high in the stack, and 1.5 σ in each half" },
  doubtful: {
    label: "doubtful",
    title: "Less than 4 σ high in the stack or missing in one half, and in the lane hardly brighter than there",
  },
  notInData: {
    label: "not in the data",
    title: "A star of the lane where the stack shows less than 3 σ, and the lane 3.5 σ more",
  },
  lost: { label: "lost", title: "5 σ and more in the stack and in both halves; the lane shows less than half of it" },
};
