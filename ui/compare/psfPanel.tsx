"use client";

import { scaleLinear, scaleLog } from "d3-scale";
import { Eye, EyeOff, RotateCcw } from "lucide-react";
import { useEffect, useLayoutEffect, useMemo, useRef } from "react";
import { idleReason, keyOfFact } from "@/core/chain";
import type { DetailBlurFact, PsfStarsFact } from "@/core/facts";
import { shapeAt } from "@/core/measure";
import type { BlurParams } from "@/core/operations";
import { fieldOfKind, findOperation, typedBlur, typedFwhm } from "@/core/operations";
import type { Places } from "@/core/parameters";
import { arcsecPerPx } from "@/state/pixelScale";
import type { Board, Lane, LaneStep } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { IconButton } from "../kit/button";
import { fixed } from "../kit/format";
import { openPlaced, useDesk, useDeskStore } from "./desk";
import { FieldPicture } from "./fieldPicture";
import { ImportedPsf } from "./importedPsf";
import { usePsfStars } from "./psfStars";
import { useLaneTreatment } from "./useTreatment";

interface Props {
  board: Board;
  lane: Lane;
  step: LaneStep;
  /** Pixels of the screen to one of the picture on the crops. */
  zoom: number;
  onChange: (part: Partial<LaneStep>, group: string) => void;
}

/** What the stars say of the blur: their mean picture and profile, how well the PSF fits them, and which of them tell it. */
export function PsfPanel({ board, lane, step, zoom, onChange }: Props) {
  const desk = useDeskStore();
  const field = fieldOfKind(step.operation, "stars") ?? "";
  const dropped = droppedOf(step);
  const isOpen = useDesk(({ placed }) => placed?.stepId === step.id && placed.field === field);
  const typed = typedOf(step);
  // Where the blur is typed no star shows it: none stays ringed.
  const isLeft = isOpen && typed !== null;
  useEffect(() => {
    if (isLeft) openPlaced(desk, null);
  }, [desk, isLeft]);
  if (step.params.psf === "detail") return <DetailFigure lane={lane} step={step} />;
  if (typed?.psf === "kept")
    return (
      <>
        <ImportedPsf
          {...{ board, lane }}
          kernel={typed.kernel}
          onTake={(kernel) => onChange({ params: { ...step.params, kernel } }, `${step.id}.kernel`)}
        />
        {typed.kernel ? <TypedKernel params={typed} zoom={zoom} /> : null}
      </>
    );
  if (typed) return <TypedKernel params={typed} zoom={zoom} />;
  return (
    <>
      <div className="flex items-center gap-1.5 py-1" data-setting="psf-stars">
        <span className="min-w-0 flex-1 truncate text-quiet">
          <WidthFigure lane={lane} step={step} />
        </span>
        {dropped.length > 0 ? (
          <IconButton
            label={`Take the ${dropped.length} stars back that were left out`}
            onClick={() => onChange({ params: { ...step.params, [field]: [] } }, `${step.id}.${field}`)}
          >
            <RotateCcw size={14} />
          </IconButton>
        ) : null}
        <IconButton
          label={
            isOpen ? "Hide the stars that tell the blur" : "Show the stars that tell the blur, and the blur itself"
          }
          help="Shows the stars that tell the blur on all crops, and the blur itself"
          onClick={() => openPlaced(desk, isOpen ? null : { stepId: step.id, field })}
        >
          {isOpen ? <EyeOff size={14} /> : <Eye size={14} />}
        </IconButton>
      </div>
      {isOpen ? <Shown lane={lane} step={step} /> : null}
    </>
  );
}

/** The stars that a person left out. */
const droppedOf = ({ operation, params }: LaneStep): Places =>
  (params[fieldOfKind(operation, "stars") ?? ""] as Places | undefined) ?? [];

/** The settings of a blur that is typed; null where the stars show it. */
function typedOf({ operation, params }: LaneStep): BlurParams | null {
  const known = findOperation(operation);
  return known && "psf" in params && params.psf !== "measured" ? (params as unknown as BlurParams) : null;
}

/** How wide a blur the fine detail shows. */
function DetailFigure({ lane, step }: Pick<Props, "lane" | "step">) {
  const { pool } = useSession();
  const stack = useProject((state) => state.stacks.find(({ id }) => id === lane.stackId) ?? null);
  const arcsec = useProject((state) => (stack ? arcsecPerPx(stack, state) : null));
  const { steps, treatment } = useLaneTreatment(lane);
  const index = lane.steps.findIndex(({ id }) => id === step.id);
  const facts = treatment?.facts[index];
  // What is no blur is said on the card (idleLine.tsx).
  if (facts && idleReason(steps[index], pool.valuesOf(facts))) return null;
  const key = facts ? keyOfFact("detailBlur", steps[index]) : null;
  const known = key && facts && key in facts ? (pool.valuesOf(facts)[key] as DetailBlurFact[] | undefined) : undefined;
  const widths = known?.flatMap(({ fwhmPx }) => fwhmPx ?? []) ?? [];
  if (widths.length === 0) return null;
  return (
    <p className="py-1 text-quiet" data-testid="detail-blur" title="FWHM of the blur that the fine detail shows">
      Blur {widths.map((px) => fixed(px, 2)).join(", ")} px
      {arcsec === null ? "" : ` · ${widths.map((px) => fixed(px * arcsec, 1)).join(", ")}″`}
    </p>
  );
}

/** How wide the stack's stars are, and what the step aims at. */
function WidthFigure({ lane, step }: Pick<Props, "lane" | "step">) {
  const stack = useProject((state) => state.stacks.find(({ id }) => id === lane.stackId) ?? null);
  const arcsec = useProject((state) => (stack ? arcsecPerPx(stack, state) : null));
  const fwhmPx = stack?.facts.fwhmPx ?? null;
  const after =
    fwhmPx === null ? null : (findOperation(step.operation)?.can.restoration?.aims?.(step.params, fwhmPx) ?? null);
  if (fwhmPx === null || after === null) return "Stars that tell the blur";
  const onSky = (px: number) => (arcsec === null ? "" : ` · ${fixed(px * arcsec, 1)}″`);
  return (
    <span title="Width (FWHM) of the stack's stars, and what the step aims at">
      Stars {fixed(fwhmPx, 2)} px{onSky(fwhmPx)} → {fixed(after, 2)} px{onSky(after)}
    </span>
  );
}

/** The typed blur as large as on the crops. */
function TypedKernel({ params, zoom }: { params: BlurParams; zoom: number }) {
  const { values, size } = useMemo(() => typedBlur(params), [params]);
  const [radius, shown] = [(size - 1) / 2, Math.min((size - 1) / 2, Math.floor(90 / zoom))];
  const side = 2 * shown + 1;
  const peak = values[radius * size + radius];
  const part = Array.from({ length: side * side }, (_, k) => {
    const [x, y] = [(k % side) - shown, Math.floor(k / side) - shown];
    return values[(radius + y) * size + radius + x] / peak;
  });
  return (
    <div className="mb-1 flex items-center gap-2 rounded bg-page p-1.5 text-xs text-quiet" data-testid="typed-kernel">
      <Kernel values={part} enlarged={zoom} label="The typed blur, as large as on the crops, dark parts lifted" />
      <span>
        {fixed(typedFwhm(params), 2)} px
        <br />
        as on the crops at {zoom}:1
      </span>
    </div>
  );
}

const NAMES = ["R", "G", "B"];

function Shown({ lane, step }: { lane: Lane; step: LaneStep }) {
  const known = usePsfStars(lane, step);
  const size = useProject((state) => state.stacks.find(({ id }) => id === lane.stackId)?.facts ?? null);
  if (!known) return <p className="mb-1 rounded bg-page p-1.5 text-sm text-quiet">measuring …</p>;
  const { channels, isStale } = known;
  return (
    <div className={`mb-1 rounded bg-page p-1.5 text-sm ${isStale ? "opacity-40" : ""}`} data-testid="psf-panel">
      {channels.map((channel, c) => (
        <div key={c} className="mb-1">
          {channels.length > 1 ? <h4 className="text-quiet">{NAMES[c] ?? `channel ${c + 1}`}</h4> : null}
          {channel ? (
            <Channel channel={channel} size={size} />
          ) : (
            <p className="text-quiet">Too few clear, lone stars: the step leaves the picture as it is.</p>
          )}
        </div>
      ))}
      <p className="text-xs text-quiet">
        {droppedOf(step).length > 0 ? `${droppedOf(step).length} left out. ` : ""}Click a ringed star on a crop to leave
        it out.
      </p>
    </div>
  );
}

type ChannelOf = NonNullable<PsfStarsFact["channels"][number]>;

/** `size`: of the picture. */
function Channel({ channel, size }: { channel: ChannelOf; size: { width: number; height: number } | null }) {
  const { shape, stars, scatterPx, residual } = channel;
  return (
    <div className="flex gap-2">
      <Kernel
        values={channel.mean}
        enlarged={ENLARGED}
        label="Mean of the stars that tell the blur, dark parts lifted"
      />
      <div className="min-w-0 flex-1">
        <Profile points={channel.profile} />
        <p className="text-xs leading-4 whitespace-nowrap">
          FWHM {fixed(Math.sqrt(shape.fwhmMajor * shape.fwhmMinor), 2)} ± {fixed(scatterPx, 2)} px
          <br />
          long/short {fixed(shape.fwhmMajor / shape.fwhmMinor, 2)}, β {fixed(shape.beta, 1)}
          <br />
          <span title="What the fitted profile leaves of a star within two FWHM, rms, over its peak">
            leaves {fixed(100 * residual, 1)} %
          </span>
          , {stars.length} stars
          {shape.field ? <OverField shape={shape} stars={stars} /> : null}
        </p>
        {shape.field && size ? <FieldPicture field={shape.field} beta={shape.beta} size={size} /> : null}
      </div>
    </div>
  );
}

/** How the blur changes over the picture, at the stars that show it. */
function OverField({ shape: { field, beta }, stars }: { shape: ChannelOf["shape"]; stars: ChannelOf["stars"] }) {
  if (!field) return null;
  const shapes = stars.map(({ x, y }) => shapeAt(field, beta, x, y));
  const ends = (of: (shape: (typeof shapes)[number]) => number) =>
    [Math.min, Math.max].map((end) => fixed(end(...shapes.map(of)), 2)).join(" … ");
  return (
    <>
      <br />
      <span title="The stars show that it changes: each place is treated with its own">
        over the field {ends(({ fwhmMajor, fwhmMinor }) => Math.sqrt(fwhmMajor * fwhmMinor))} px,
        <br />
        long/short {ends(({ fwhmMajor, fwhmMinor }) => fwhmMajor / fwhmMinor)}
      </span>
    </>
  );
}

/** Px of the screen per pixel of the mean star. */
const ENLARGED = 3;

/** A square picture of heights up to 1, dark parts lifted. */
function Kernel({ values, enlarged, label }: { values: readonly number[]; enlarged: number; label: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const side = Math.round(Math.sqrt(values.length));
  useLayoutEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const image = context.createImageData(side, side);
    values.forEach((v, i) => {
      const grey = (255 * Math.asinh(Math.max(0, v) * 50)) / Math.asinh(50);
      image.data.set([grey, grey, grey, 255], 4 * i);
    });
    context.putImageData(image, 0, 0);
  }, [values, side]);
  return (
    <canvas
      ref={canvas}
      width={side}
      height={side}
      className="pixels shrink-0"
      style={{ width: side * enlarged, height: side * enlarged }}
      role="img"
      aria-label={label}
      title={label}
    />
  );
}

const [WIDTH, HEIGHT] = [132, 44];
/** Heights below this share of the peak are not drawn. */
const LEAST = 1e-3;

/** Height over distance: medians of the stars with their scatter, and the fitted profile. */
function Profile({ points }: { points: ChannelOf["profile"] }) {
  const x = scaleLinear([0, points[points.length - 1]?.r ?? 1], [2, WIDTH - 2]);
  const y = scaleLog([LEAST, 1.1], [HEIGHT - 2, 2]).clamp(true);
  const fitted = points.map((point) => `${x(point.r)},${y(Math.max(LEAST, point.fitted))}`).join(" ");
  return (
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label="Profile of the stars and the fitted one">
      <title>
        Height over distance in px, logarithmic: the stars (dots, with their scatter) and the fitted profile (line)
      </title>
      <polyline points={fitted} fill="none" stroke="#e0a44a" />
      {points.map(({ r, measured, scatter }) => (
        <g key={r} stroke="#a3a3a3" fill="#e8e8e8">
          <line
            x1={x(r)}
            x2={x(r)}
            y1={y(Math.max(LEAST, measured - scatter))}
            y2={y(Math.max(LEAST, measured + scatter))}
          />
          {measured > LEAST ? <circle cx={x(r)} cy={y(measured)} r={1} stroke="none" /> : null}
        </g>
      ))}
    </svg>
  );
}
