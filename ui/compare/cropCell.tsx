"use client";

import { Star } from "lucide-react";
import { useEffect } from "react";
import type { Spot } from "@/core/compare";
import { Stopped } from "@/core/job";
import { SNR_DEFINITION } from "@/core/measure";
import { isEmptyRegion } from "@/core/raster";
import type { Warp } from "@/core/register";
import { describeWarp, inverse, mapPoint } from "@/core/register";
import { PRIORITY } from "@/engine/pool";
import type { CropMeasures } from "@/engine/tasks/measureCrop";
import { affinityOf } from "@/state/ladder";
import type { Board, View } from "@/storage";
import { useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";
import { fixed, levelUnit } from "../kit/format";
import { PlacedCrop } from "../viewer/placedCrop";
import { useDrag } from "../viewer/useDrag";
import { CropOverlays } from "./cropOverlays";
import { noteClipped, useDeskStore } from "./desk";
import { measuredRegion } from "./geometry";
import type { Latency } from "./latency";
import { PointerReadout, pointing, usePointing } from "./pointer";
import { LineOverlay, useLineDrawing } from "./profile";
import type { Before, LaneView } from "./useLaneCrop";
import { useLaneCrop } from "./useLaneCrop";

interface Props {
  board: Board;
  lane: LaneView;
  spot: Spot;
  /** Size of the stack that gave the project its coordinates. */
  project: { width: number; height: number };
  /** Show the untouched stack instead. */
  before: Before;
  latency: Latency;
  /** Told how long the worker took for a treated crop. */
  onTime: (ms: number) => void;
  onPan: (dx: number, dy: number) => void;
}

/** One crop of the matrix with its figures. Dragging moves all crops. */
export function CropCell({ board, lane, spot, project, before, latency, onTime, onPan }: Props) {
  const { stack, treatment, toPicture } = lane;
  const { letter } = lane.lane;
  const { view } = board;
  const isNoise = board.look.shows.part === "noise";
  const { box, seen, ready, treated, shown, curves, noiseSpan } = useLaneCrop(
    lane,
    spot,
    view,
    project,
    before,
    isNoise,
  );
  const { left, top, scale, onto } = seen;
  const drag = useDrag(
    () => (view.zoom === "fit" ? null : view.zoom),
    (zoom, { dx, dy }) => onPan(-dx / zoom, -dy / zoom),
  );
  const point = usePointing(seen, toPicture);
  const line = useLineDrawing(seen, toPicture, spot.id);

  const taken = treated.shown?.ms ?? 0;
  useEffect(() => {
    if (taken > 0) onTime(taken);
  }, [taken, onTime]);

  return (
    <div
      className="flex min-w-0 flex-col bg-page select-none"
      data-cell={`${letter}:${spot.name}`}
      data-pending={treated.pending || treatment === null}
    >
      <div
        ref={box}
        role="img"
        aria-label={`Lane ${letter} at ${spot.name}${before === "stack" ? ", untouched" : before === "step" ? ", before the step" : ""}`}
        className="relative min-h-0 flex-1 cursor-move touch-none overflow-hidden"
        {...pointing(drag, point, line)}
      >
        <PlacedCrop
          {...{ shown, curves, noiseSpan, left, top, scale }}
          shows={board.look.shows}
          pending={treated.pending}
          onDrawn={latency.drawn}
        />
        {ready ? <CropOverlays {...{ board, view: lane, spot, project, seen }} /> : null}
        {ready ? <LineOverlay view={lane} spotId={spot.id} seen={seen} shown={shown} /> : null}
        {ready ? <PointerReadout {...{ lane, spot, seen, shown }} /> : null}
        {treated.error ? (
          <div role="alert" className="absolute inset-0 overflow-auto bg-panel p-2 text-sm text-warn">
            {treated.error.message} {treated.error.advice}
          </div>
        ) : null}
        {onto && ready ? (
          <span
            className="absolute top-0.5 left-1 rounded bg-page/70 px-1 text-xs text-quiet"
            title="This stack lies turned or at another scale than the first one: after its treatment it is resampled onto the first one's grid, so that crops match. Its figures are measured on its own pixels."
          >
            {placement(toPicture, spot)}
          </span>
        ) : null}
        {ready ? null : (
          <div className="absolute inset-0 flex items-center justify-center text-sm text-quiet">
            outside the picture
          </div>
        )}
      </div>
      <Figures
        laneId={lane.lane.id}
        spot={spot}
        stack={stack}
        treatment={treated.pending ? null : treatment}
        toPicture={toPicture}
        view={view}
      />
    </div>
  );
}

/** How a stack lies to the project at a spot, in words. */
function placement(toPicture: Warp, spot: Spot): string {
  const { rotationDeg, scale, isMirrored } = describeWarp(inverse(toPicture), ...mapPoint(toPicture, spot.x, spot.y));
  const turned = Math.abs(rotationDeg) >= 0.05 ? `turned ${fixed(rotationDeg, 1)}°` : null;
  const sized = Math.abs(scale - 1) >= 0.005 ? `× ${fixed(scale, 2)}` : null;
  return ["resampled:", isMirrored ? "mirrored" : null, turned, sized].filter((word) => word !== null).join(" ");
}

/** What a narrow crop has no room for under it; the tooltip shows it. */
const NARROW = "@max-[138px]:hidden";
/** The same where three figures stand in a row. */
const TIGHT = "@max-[230px]:hidden";

/** The same where the word would not fit. */
const LOOSE = "@max-[270px]:hidden";

/** A row of figures; small letters keep the units of five lanes beside one another. */
const ROW = "flex justify-between gap-1 @max-[200px]:text-[11px] @max-[200px]:tracking-tight";

/** What stands there in its place. */
const [WIDE, ROOMY] = ["@min-[138px]:hidden", "@min-[270px]:hidden"];

/** How long a crop must rest before it is measured. */
const FIGURES_REST_MS = 300;

/** Measures of the square around the spot; they wait until the crop has rested. */
function Figures({
  laneId,
  spot,
  stack,
  treatment,
  toPicture,
  view,
}: Pick<LaneView, "stack" | "treatment" | "toPicture"> & { laneId: string; spot: Spot; view: View }) {
  const session = useSession();
  const desk = useDeskStore();
  const region = measuredRegion(stack.facts, spot, view, toPicture);
  const question =
    treatment && !isEmptyRegion(region) ? [treatment.picture.id, treatment.steps, treatment.facts, region] : null;
  const { value: measures, isCurrent } = useAnswer(
    question,
    FIGURES_REST_MS,
    async (_, signal): Promise<CropMeasures> => {
      if (!treatment) throw new Stopped();
      const { skyLevel, fwhmPx } = stack.facts;
      const affinity = affinityOf(laneId, spot.id, "measures");
      const options = { priority: PRIORITY.measure, affinity, waitsForIt: true, signal };
      return session.pool.run("measureCrop", { treatment, region, skyLevel, fwhmPx }, options);
    },
  );
  useEffect(() => {
    if (measures) noteClipped(desk, laneId, spot.id, measures.clipped ?? 0);
  }, [desk, laneId, spot.id, measures]);
  const { unit, scale, digits } = levelUnit(stack.facts.unit);
  const half = measures?.noiseFromHalves;
  const hasStars = stack.facts.fwhmPx !== null;
  // Figures of the settings before stay legible, but do not pass for those of the crop above them.
  const isStale = measures !== null && !isCurrent;
  return (
    <div
      className={`figures @container flex h-9 shrink-0 flex-col justify-center overflow-hidden px-1.5 leading-4 whitespace-nowrap text-quiet ${isStale ? "opacity-40" : ""}`}
      data-stale={isStale}
      title={`Noise σ per pixel in ${unit} (from the halves: ${half === null || half === undefined ? "–" : fixed(half * scale, digits)} ${unit}); SNR = ${SNR_DEFINITION}; FWHM in px; ring: the deepest dark ring round a bright star, in σ below its surroundings (sharper lanes only); number of stars; measured over 128 × 128 px around the spot`}
    >
      {measures ? (
        <>
          <div className={ROW}>
            <span>
              σ <span className="text-text">{fixed((half ?? measures.noise) * scale, digits)}</span>
              <span className={NARROW}> {unit}</span>
            </span>
            <span>
              SNR <span className="text-text">{fixed(measures.snrDb, 1)}</span>
              <span className={NARROW}> dB</span>
            </span>
          </div>
          {hasStars ? (
            <div className={ROW}>
              <span>
                FWHM <span className="text-text">{fixed(measures.fwhmPx, 2)}</span>
                <span className={NARROW}> px</span>
              </span>
              {measures.ringing === null ? null : (
                <span>
                  ring <span className="text-text">{fixed(measures.ringing, 1)}</span>
                  <span className={NARROW}> σ</span>
                </span>
              )}
              <span className={measures.ringing === null ? "" : TIGHT}>
                {measures.stars}{" "}
                <Star size={10} aria-label="stars" className={`inline ${measures.ringing === null ? WIDE : ROOMY}`} />
                <span className={measures.ringing === null ? NARROW : LOOSE}>stars</span>
              </span>
            </div>
          ) : (
            <div>no stars in this stack</div>
          )}
        </>
      ) : (
        <span>measuring …</span>
      )}
    </div>
  );
}
