"use client";

import { useEffect, useMemo, useState } from "react";
import { toSample } from "@/core/formats";
import { curvesOf, DEFAULT_DISPLAY, straightCurve } from "@/core/display";
import type { FrameRef } from "@/engine/frames";
import type { Treatment } from "@/engine/tasks/crop";
import type { StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import type { Viewport } from "../viewer/pictureViewer";
import { RejectedMap } from "./rejectedMap";
import { PictureViewer } from "../viewer/pictureViewer";

const PLAIN_CURVES = [straightCurve(0, 1)];

type Shown = "mean" | "coverage" | "rejected" | "ofSub";

/** What can be looked at of a stack, with its words. */
const SHOWN: Record<Exclude<Shown, "ofSub">, { words: string; help: (most: number) => string }> = {
  mean: { words: "Picture", help: () => "The stack with the display stretch" },
  coverage: {
    words: "Coverage",
    help: (most) => `How many subs have data at each pixel: black 0, white ${most}`,
  },
  rejected: {
    words: "Rejected",
    help: () => "How many samples were rejected at each pixel: yellow above the others or on a trail, blue below them",
  },
};

/** A stack, how many subs have data at each of its pixels, or how many of their samples were rejected; and where those of one sub were. */
export function StackPictureView({ stack, subId = null }: { stack: StackRecord; subId?: string | null }) {
  const session = useSession();
  const { width, height, stretch } = stack.facts;
  const [viewport, setViewport] = useState<Viewport>({ x: width / 2, y: height / 2, scale: null });
  const [wanted, setShows] = useState<Shown>("mean");
  const sub = stack.report.subs.find(({ id, rejected }) => id === subId && rejected !== null) ?? null;
  const map = wanted === "ofSub" ? sub : null;
  const shows = wanted === "ofSub" ? "mean" : wanted;
  const [treatment, setTreatment] = useState<Treatment | null>(null);
  useEffect(() => {
    let gone = false;
    const show = (picture: FrameRef) => {
      if (!gone)
        setTreatment({
          picture,
          halves: null,
          fill: shows === "mean" ? stack.facts.fill : [0, 0, 0],
          fullScale: toSample(stack.facts.unit, stack.facts.unit.fullScale),
          steps: [],
          facts: [],
        });
    };
    session.files
      .stack(stack, shows)
      .then(show)
      .catch((error: unknown) => !gone && session.report(error));
    return () => {
      gone = true;
    };
  }, [session, stack, shows]);
  // Coverage counts subs: it is shown from black (none) to white (all of them). Rejected samples are bytes, and few: one in ten is bright.
  const most = stack.report.subsUsed;
  const scaleValues = shows === "coverage" ? 1 / most : shows === "rejected" ? (10 * 255) / Math.max(10, most) : 1;
  const curves = useMemo(
    () => (shows === "mean" ? curvesOf({ display: DEFAULT_DISPLAY, levels: stretch }) : PLAIN_CURVES),
    [shows, stretch],
  );
  const has = ({ brought, report }: StackRecord): (keyof typeof SHOWN)[] => [
    "mean",
    ...(brought?.hasCoverage === false ? [] : (["coverage"] as const)),
    ...(report.rejection === null ? [] : (["rejected"] as const)),
  ];
  return (
    <div className="relative h-full">
      <PictureViewer
        crops={session.crops}
        treatment={treatment}
        width={width}
        height={height}
        curves={curves}
        scaleValues={scaleValues}
        viewport={viewport}
        onViewport={setViewport}
        label={`Stack ${stack.name}`}
        overlay={
          map
            ? (toScreen, scale) => <RejectedMap stack={stack} subId={map.id} toScreen={toScreen} scale={scale} />
            : undefined
        }
      />
      <div className="absolute top-2 left-2 flex gap-1">
        {has(stack).map((kind) => (
          <Button
            key={kind}
            help={SHOWN[kind].help(most)}
            aria-pressed={!map && shows === kind}
            className={!map && shows === kind ? "border-quiet" : "text-quiet"}
            onClick={() => setShows(kind)}
          >
            {SHOWN[kind].words}
          </Button>
        ))}
        {sub ? (
          <Button
            help="The picture, with blocks in which samples of the chosen sub were rejected: yellow above the others or on a trail, blue below them"
            aria-pressed={map !== null}
            className={map ? "border-quiet" : "text-quiet"}
            onClick={() => setShows("ofSub")}
          >
            Rejected of {sub.name}
          </Button>
        ) : null}
      </div>
    </div>
  );
}
