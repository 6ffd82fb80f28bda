"use client";

import { useMemo } from "react";
import type { FrameGroup, Mismatch } from "@/core/calibrate";
import { framesWithoutMaster, groupLights, needsCalibration } from "@/state/calibration";
import { useProject } from "../frame/session";
import { duration } from "../kit/format";
import { TYPE_LABELS } from "./typeLabels";

/** Which lights go through which masters, and what does not fit. */
export function LightGroups() {
  const subs = useProject((state) => state.subs);
  const masters = useProject((state) => state.masters);
  const plan = useProject((state) => state.project.calibration);
  const groups = useMemo(() => groupLights(subs, masters, plan), [subs, masters, plan]);
  const waiting = useMemo(() => framesWithoutMaster(subs, masters, plan), [subs, masters, plan]);
  /** "the dark" where there is but one, else its name. */
  const name = (id: string | null) => {
    const master = masters.find((own) => own.id === id);
    if (!master) return null;
    return masters.filter(({ kind }) => kind === master.kind).length === 1
      ? `the ${TYPE_LABELS[master.kind]}`
      : master.name;
  };
  return (
    <section>
      <h3 className="mb-1 text-quiet">Lights</h3>
      <ul className="space-y-1">
        {groups.map(({ label, subs: lights, plan: own }) => (
          <li key={lights[0].id} className="rounded border border-line px-2 py-1" data-testid="light-group">
            <div>
              <span className="figures">{lights.length}</span> lights,{" "}
              {duration(lights.reduce((sum, sub) => sum + (sub.metadata.exposureS ?? 0), 0))}{" "}
              <span className="text-quiet">{label}</span>
            </div>
            {needsCalibration(lights[0], own, plan.settings) || masters.length > 0 ? (
              <>
                <div className="text-sm text-quiet">
                  less {name(own.dark) ?? name(own.bias) ?? "nothing"}
                  {own.dark && own.bias ? ` (scaled over ${name(own.bias)})` : ""}, over {name(own.flat) ?? "nothing"}
                </div>
                {own.mismatches.map((mismatch) => {
                  const { text, isFault } = inWords(mismatch, waiting, own.dark !== null);
                  return (
                    <div key={text} className={`text-sm ${isFault ? "text-warn" : "text-quiet"}`}>
                      {text}
                    </div>
                  );
                })}
              </>
            ) : (
              <div className="text-sm text-quiet">used as they came</div>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** A mismatch as it is said: a kind whose frames wait for their master is no fault, nor is a bias that nothing needs. */
function inWords(
  { text, lacks }: Mismatch,
  waiting: readonly FrameGroup[],
  hasDark: boolean,
): { text: string; isFault: boolean } {
  const own = waiting.filter(({ type }) => type === lacks);
  if (lacks && own.length > 0) {
    const count = own.reduce((sum, { frames }) => sum + frames.length, 0);
    return { text: `${count} ${TYPE_LABELS[lacks]} frames wait for their master`, isFault: false };
  }
  return { text, isFault: !(lacks === "bias" && hasDark) };
}
