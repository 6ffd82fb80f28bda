"use client";

import { useState } from "react";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { CalibrationSettings } from "./calibrationSettings";
import { FramesWithoutMaster } from "./framesWithoutMaster";
import { LightGroups } from "./lightGroups";
import type { MasterListProps } from "./masterList";
import { MasterList } from "./masterList";
import { useStaleLights } from "./useStaleLights";

/** Masters, which lights go through which, what does not fit and what that does, and how lights are calibrated. */
export function CalibratePanel({ map, onMap }: Omit<MasterListProps, "onProblem">) {
  const session = useSession();
  const [problem, setProblem] = useState<string | null>(null);
  const stale = useStaleLights().length;
  return (
    <div className="min-h-0 flex-1 space-y-3 overflow-auto p-3" data-testid="calibrate-panel">
      {problem ? <p className="text-warn">{problem}</p> : null}
      <FramesWithoutMaster />
      <MasterList map={map} onMap={onMap} onProblem={setProblem} />
      <LightGroups />
      <CalibrationSettings />
      {stale > 0 ? (
        <div className="sticky bottom-0 bg-page py-2">
          <Button
            kind="primary"
            help="Reads every light through its masters and measures it anew; stacks are made through the same"
            onClick={() => void session.subs.measureAgain()}
          >
            Calibrate and measure {stale} {stale === 1 ? "light" : "lights"}
          </Button>
        </div>
      ) : null}
    </div>
  );
}
