"use client";

import { useMemo, useState } from "react";
import { isStretched } from "@/core/chain";
import type { ShownBy } from "@/core/display";
import { curvesOf } from "@/core/display";
import type { Treatment } from "@/engine/tasks/crop";
import type { Lane, StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import type { Viewport } from "../viewer/pictureViewer";
import { PictureViewer } from "../viewer/pictureViewer";
import { laneWords } from "./laneHeader";

interface Props {
  lane: Lane;
  stack: StackRecord;
  treatment: Treatment | null;
  /** What it is shown by, unless it is stretched already. */
  shownBy: ShownBy;
}

/** The whole picture as a lane treats it: with the display stretch, unless it is stretched already. */
export function LanePicture({ lane, stack, treatment, shownBy: { display, levels } }: Props) {
  const session = useSession();
  const { width, height } = stack.facts;
  const [viewport, setViewport] = useState<Viewport>({ x: width / 2, y: height / 2, scale: null });
  const stretched = isStretched(lane.steps);
  const curves = useMemo(() => (stretched ? null : curvesOf({ display, levels })), [stretched, display, levels]);
  return (
    <PictureViewer
      crops={session.crops}
      treatment={treatment}
      width={width}
      height={height}
      curves={curves}
      viewport={viewport}
      onViewport={setViewport}
      label={`Lane ${lane.letter}: ${laneWords(lane)}`}
    />
  );
}
