"use client";

import { useMemo, useState } from "react";
import type { FrameUnit } from "@/core/formats";
import { levelUnit } from "../kit/format";
import { useKeys } from "../kit/useKeys";
import type { Display } from "@/core/display";
import { curvesOf } from "@/core/display";
import type { SubRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import type { Viewport } from "../viewer/viewerFrame";
import { ViewerFrame } from "../viewer/viewerFrame";
import { PatchOverlay } from "../viewer/placed/patchOverlay";
import type { Prepared } from "./useFlip";
import { useFlip } from "./useFlip";

/** How frames are shown while they are judged; the same for all. */
export interface JudgingLook {
  /** As the file has it, not laid over the reference. */
  asItCame: boolean;
  display: Display;
  patches: boolean;
}

interface Props {
  order: readonly SubRecord[];
  current: SubRecord;
  reference: SubRecord | null;
  judging: JudgingLook;
  onPrepared: (prepared: Prepared | null) => void;
  /** Hot and cold pixels to mark, by index of the sensor; null for none. */
  defects: { hot: Uint32Array; cold: Uint32Array; width: number } | null;
}

/** The current frame; the place that is looked at stays from frame to frame, and so does the display stretch. */
export function FlipPicture({ order, current, reference, judging, onPrepared, defects }: Props) {
  const session = useSession();
  const patches = useProject((state) => state.project.patches);
  const registered = !judging.asItCame && Boolean(current.relation?.value) && reference !== null;
  const size = registered ? reference.measuredSize : current.measuredSize;
  const [viewport, setViewport] = useState<Viewport>({ x: size.width / 2, y: size.height / 2, scale: null });
  useKeys("0", () => setViewport((before) => ({ ...before, scale: null })));
  useKeys("1", () => setViewport((before) => ({ ...before, scale: 1 })));
  useKeys("4", () => setViewport((before) => ({ ...before, scale: 4 })));
  const useRegion = useFlip({ order, current, registered, size }, onPrepared);
  const stretch = registered ? reference.stretch : current.stretch;
  const curves = useMemo(() => curvesOf({ display: judging.display, levels: stretch }), [judging.display, stretch]);
  const { trail } = current.measures;
  return (
    <ViewerFrame
      useRegion={useRegion}
      width={size.width}
      height={size.height}
      curves={curves}
      viewport={viewport}
      onViewport={setViewport}
      label={`Sub ${current.name}`}
      overlay={(toScreen, scale) => (
        <>
          {trail && !registered ? <TrailMark trail={trail} size={size} toScreen={toScreen} /> : null}
          {judging.patches && reference ? (
            <PatchOverlay
              patches={patches}
              captions={patches.map((_, k) => levelWords(current.patches?.levels[k] ?? null, current.unit))}
              toScreen={toScreen}
              scale={scale}
              size={size}
              onChange={(next) => session.subs.saveRules({ patches: next })}
            />
          ) : null}
          {defects ? <DefectMarks defects={defects} shrink={defects.width / size.width} toScreen={toScreen} /> : null}
        </>
      )}
    />
  );
}

/** A level of a frame with its unit; … while it is not known. */
function levelWords(level: number | null, unit: FrameUnit): string {
  const shown = levelUnit(unit);
  return level === null ? "…" : `${(level * shown.scale).toFixed(1)} ${shown.unit}`;
}

type ToScreen = (x: number, y: number) => [number, number];

function TrailMark({
  trail,
  size,
  toScreen,
}: {
  trail: { angle: number; offsetPx: number };
  size: { width: number; height: number };
  toScreen: ToScreen;
}) {
  const reach = Math.hypot(size.width, size.height);
  const { angle, offsetPx } = trail;
  const end = (t: number): [number, number] =>
    toScreen(offsetPx * Math.cos(angle) - t * Math.sin(angle), offsetPx * Math.sin(angle) + t * Math.cos(angle));
  const [x1, y1] = end(-reach);
  const [x2, y2] = end(reach);
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full">
      <line {...{ x1, y1, x2, y2 }} stroke="#e0735c" strokeOpacity={0.55} strokeDasharray="2 10" />
    </svg>
  );
}

/** Most marks that are drawn at once. */
const MOST_MARKS = 4000;

function DefectMarks({
  defects,
  shrink,
  toScreen,
}: {
  defects: NonNullable<Props["defects"]>;
  shrink: number;
  toScreen: ToScreen;
}) {
  const marks = (list: Uint32Array, colour: string) => {
    const step = Math.max(1, Math.ceil(list.length / MOST_MARKS));
    const out = [];
    for (let i = 0; i < list.length; i += step) {
      const [x, y] = toScreen((list[i] % defects.width) / shrink, Math.floor(list[i] / defects.width) / shrink);
      out.push(<circle key={list[i]} cx={x} cy={y} r={3} fill="none" stroke={colour} />);
    }
    return out;
  };
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full" data-testid="defects">
      {marks(defects.hot, "#e0735c")}
      {marks(defects.cold, "#5fb0e0")}
    </svg>
  );
}
