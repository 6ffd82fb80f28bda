import type { FrameType } from "@/core/formats";

/** What kinds of frames are called. */
export const TYPE_LABELS: Record<FrameType, string> = {
  light: "light",
  dark: "dark",
  flat: "flat",
  bias: "bias",
  darkflat: "dark-flat",
};
