"use client";

import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import type { CropBook } from "@/state/crops";
import type { FrameProps } from "./viewerFrame";
import { ViewerFrame } from "./viewerFrame";
import { useCrop } from "./useCrop";

export type { Viewport } from "./viewerFrame";

interface Props extends Omit<FrameProps, "useRegion"> {
  crops: CropBook;
  treatment: Treatment | null;
}

/** A treated picture to look around in. */
export function PictureViewer({ crops, treatment, ...rest }: Props) {
  return (
    <ViewerFrame
      {...rest}
      useRegion={function useTreatedRegion(region, reduce, ready) {
        return useCrop(crops, ready ? treatment : null, region, reduce, {
          priority: PRIORITY.view,
          affinity: "viewer",
        });
      }}
    />
  );
}
