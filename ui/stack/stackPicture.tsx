"use client";

import { useEffect, useMemo, useState } from "react";
import { toSample } from "@/core/formats";
import { stretchCurves, stretchParameters } from "@/core/operations";
import type { Treatment } from "@/engine/tasks/crop";
import type { StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import type { Look } from "../viewer/pictureViewer";
import { PictureViewer } from "../viewer/pictureViewer";

/** A stack, or how many subs have data at each of its pixels. */
export function StackPictureView({ stack }: { stack: StackRecord }) {
  const session = useSession();
  const { width, height, stretch } = stack.facts;
  const [look, setLook] = useState<Look>({ x: width / 2, y: height / 2, scale: null });
  const [shows, setShows] = useState<"mean" | "coverage">("mean");
  const [treatment, setTreatment] = useState<Treatment | null>(null);
  useEffect(() => {
    let gone = false;
    void session.files.stack(stack, shows).then((picture) => {
      if (!gone)
        setTreatment({
          picture,
          halves: null,
          fill: shows === "mean" ? stack.facts.fill : [0],
          fullScale: toSample(stack.facts.unit, stack.facts.unit.fullScale),
          steps: [],
          facts: [],
        });
    });
    return () => {
      gone = true;
    };
  }, [session, stack, shows]);
  // Coverage counts subs: it is shown from black (none) to white (all of them).
  const most = stack.report.subsUsed;
  const curves = useMemo(
    () => (shows === "mean" ? stretchCurves(stretchParameters.defaults, stretch) : [{ black: 0, white: 1, a: 1e-3 }]),
    [shows, stretch],
  );
  return (
    <div className="relative h-full">
      <PictureViewer
        crops={session.crops}
        treatment={treatment}
        width={width}
        height={height}
        curves={curves}
        scaleValues={shows === "coverage" ? 1 / most : 1}
        look={look}
        onLook={setLook}
        label={`Stack ${stack.name}`}
      />
      <div className="absolute top-2 left-2 flex gap-1">
        <Button
          help="The stack with the display stretch"
          aria-pressed={shows === "mean"}
          className={shows === "mean" ? "border-quiet" : "text-quiet"}
          onClick={() => setShows("mean")}
        >
          Picture
        </Button>
        {stack.brought?.hasCoverage === false ? null : (
          <Button
            help={`How many subs have data at each pixel: black 0, white ${most}`}
            aria-pressed={shows === "coverage"}
            className={shows === "coverage" ? "border-quiet" : "text-quiet"}
            onClick={() => setShows("coverage")}
          >
            Coverage
          </Button>
        )}
      </div>
    </div>
  );
}
