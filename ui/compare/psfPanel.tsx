"use client";

import { scaleLinear, scaleLog } from "d3-scale";
import { Eye, EyeOff, RotateCcw } from "lucide-react";
import { useLayoutEffect, useRef } from "react";
import type { PsfStarsFact } from "@/core/facts";
import type { Lane, LaneStep } from "@/storage";
import { IconButton } from "../kit/button";
import { fixed } from "../kit/format";
import { openPsf, useDesk, useDeskStore } from "./desk";
import { usePsfStars } from "./psfStars";

interface Props {
  lane: Lane;
  step: LaneStep;
  onChange: (part: Partial<LaneStep>, group: string) => void;
}

/** What the stars say of the blur: their mean picture and profile, how well the PSF fits them, and which of them tell it. */
export function PsfPanel({ lane, step, onChange }: Props) {
  const desk = useDeskStore();
  const isOpen = useDesk(({ psfOf }) => psfOf === step.id);
  return (
    <>
      <div className="flex items-center gap-1.5 py-1" data-setting="psf-stars">
        <span className="flex-1 text-quiet">Stars that tell the blur</span>
        {step.dropped.length > 0 ? (
          <IconButton
            label={`Take the ${step.dropped.length} stars back that were left out`}
            onClick={() => onChange({ dropped: [] }, `${step.id}.dropped`)}
          >
            <RotateCcw size={14} />
          </IconButton>
        ) : null}
        <IconButton
          label={
            isOpen ? "Hide the stars that tell the blur" : "Show the stars that tell the blur, and the blur itself"
          }
          help="Shows the stars that tell the blur on all crops, and the blur itself"
          onClick={() => openPsf(desk, isOpen ? null : step.id)}
        >
          {isOpen ? <EyeOff size={14} /> : <Eye size={14} />}
        </IconButton>
      </div>
      {isOpen ? <Shown lane={lane} step={step} /> : null}
    </>
  );
}

const NAMES = ["R", "G", "B"];

function Shown({ lane, step }: { lane: Lane; step: LaneStep }) {
  const known = usePsfStars(lane, step);
  if (!known) return <p className="mb-1 rounded bg-page p-1.5 text-sm text-quiet">measuring …</p>;
  const { channels, isStale } = known;
  return (
    <div className={`mb-1 rounded bg-page p-1.5 text-sm ${isStale ? "opacity-40" : ""}`} data-testid="psf-panel">
      {channels.map((channel, c) => (
        <div key={c} className="mb-1">
          {channels.length > 1 ? <h4 className="text-quiet">{NAMES[c] ?? `channel ${c + 1}`}</h4> : null}
          {channel ? (
            <Channel channel={channel} />
          ) : (
            <p className="text-quiet">Too few clear, lone stars: the step leaves the picture as it is.</p>
          )}
        </div>
      ))}
      <p className="text-xs text-quiet">
        {step.dropped.length > 0 ? `${step.dropped.length} left out. ` : ""}Click a ringed star on a crop to leave it
        out.
      </p>
    </div>
  );
}

type ChannelOf = NonNullable<PsfStarsFact["channels"][number]>;

function Channel({ channel }: { channel: ChannelOf }) {
  const { shape, stars, scatterPx, residual } = channel;
  return (
    <div className="flex gap-2">
      <MeanStar values={channel.mean} />
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
        </p>
      </div>
    </div>
  );
}

/** Px of the screen per pixel of the mean star. */
const ENLARGED = 3;

/** The stars' mean picture, dark parts lifted. */
function MeanStar({ values }: { values: readonly number[] }) {
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
      style={{ width: side * ENLARGED, height: side * ENLARGED }}
      role="img"
      aria-label="Mean of the stars that tell the blur"
      title="Mean of the stars that tell the blur, dark parts lifted"
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
