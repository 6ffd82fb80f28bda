"use client";

import { useMemo } from "react";
import { framesWithoutMaster } from "@/state/calibration";
import type { SubRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { useJob } from "../kit/useJob";
import { TYPE_LABELS } from "../subs/typeLabels";

/** "a, b and c" */
const listed = (words: readonly string[]): string =>
  words.length < 2 ? words.join("") : `${words.slice(0, -1).join(", ")} and ${words[words.length - 1]}`;

/** What is to be done to the lights before they are stacked: masters are made of the calibration frames that lie there. */
export function LightsFirst({ lights }: { lights: readonly SubRecord[] }) {
  const session = useSession();
  const subs = useProject((state) => state.subs);
  const masters = useProject((state) => state.masters);
  const plan = useProject((state) => state.project.calibration);
  const groups = useMemo(() => framesWithoutMaster(subs, masters, plan), [subs, masters, plan]);
  const isBusy = [useJob("masters"), useJob("calibrate")].some((job) => job !== undefined);
  if (groups.length === 0 || lights.length === 0 || isBusy) return null;
  const frames = groups.map(
    ({ type, frames: own }) => `${own.length} ${TYPE_LABELS[type]} ${own.length === 1 ? "frame" : "frames"}`,
  );
  const calibrate = async () => {
    await session.calibration.makeMasters();
    await session.subs.measureAgain();
  };
  return (
    <div role="status" className="space-y-2 border-l-2 border-warn bg-raised p-2" data-testid="lights-first">
      <p>
        {listed(frames)} lie here, and no{" "}
        {groups.length === 1 ? "master was made of them" : "masters were made of them"}:{" "}
        {lights.length === 1
          ? "the light would be stacked as it came"
          : `${lights.length} lights would be stacked as they came`}
        .
      </p>
      <Button
        kind="primary"
        help="Makes the masters, then calibrates and measures the lights through them"
        onClick={() => void calibrate()}
      >
        Make {groups.length === 1 ? "the master" : `${groups.length} masters`} and calibrate
      </Button>
    </div>
  );
}
