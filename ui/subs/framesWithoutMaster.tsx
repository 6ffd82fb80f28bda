"use client";

import { useMemo } from "react";
import { framesWithoutMaster, groupLabel } from "@/state/calibration";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { TYPE_LABELS } from "./typeLabels";

/** Calibration frames that no master was made of, and what makes them. */
export function FramesWithoutMaster() {
  const session = useSession();
  const subs = useProject((state) => state.subs);
  const masters = useProject((state) => state.masters);
  const plan = useProject((state) => state.project.calibration);
  const waiting = useMemo(() => framesWithoutMaster(subs, masters, plan), [subs, masters, plan]);
  if (waiting.length === 0) return null;
  return (
    <section>
      <h3 className="mb-1 text-quiet">Frames without a master</h3>
      <ul className="mb-2 space-y-0.5">
        {waiting.map(({ type, frames }) => (
          <li key={frames[0].id} className="flex items-center gap-2">
            <span className="min-w-0 flex-1 truncate">
              <span className="figures">{frames.length}</span> {TYPE_LABELS[type]} frames{" "}
              <span className="text-quiet">{groupLabel(frames[0])}</span>
            </span>
            <Button kind="quiet" help="Shows these frames one by one" onClick={() => session.subs.select(frames[0].id)}>
              Look
            </Button>
          </li>
        ))}
      </ul>
      <Button
        kind="primary"
        help="Averages each group, outliers left out; flats over their own mean for each colour"
        onClick={() => void session.calibration.makeMasters()}
      >
        Make {waiting.length === 1 ? "the master" : `${waiting.length} masters`}
      </Button>
    </section>
  );
}
