"use client";

import { useMemo, useState } from "react";
import type { GradedFrame, MeasureId, Verdict } from "@/core/choose";
import { MEASURES, firstRule, measureOf } from "@/core/choose";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { useSize } from "../viewer/useSize";
import type { ChartPoint, ChartScales, Framing } from "./chartScales";
import { CHART_HEIGHT, fittedScales, framesIn, isClick, limitsIn, MARGIN, nearestTo, pointsOf } from "./chartScales";
import { LimitLine } from "./limitLine";

interface Props {
  frames: GradedFrame[];
  verdicts: ReadonlyMap<string, Verdict>;
  currentId: string | null;
  selection: readonly string[];
  onPick: (id: string, keys: { ctrl: boolean; shift: boolean }) => void;
  onSelect: (ids: string[]) => void;
}

interface Axes {
  x: MeasureId;
  y: MeasureId;
}

/** Any measure over time or against another; limits are dragged in it, points are picked or framed. */
export function MeasureChart({ frames, ...props }: Props) {
  const rules = useProject((state) => state.project.rules);
  const isVideo = frames.some(({ video }) => video !== null);
  const [chosen, setAxes] = useState<Axes | null>(null);
  const axes = chosen ?? { x: "order", y: isVideo ? "sharpness" : "fwhm" };
  const points = useMemo(() => pointsOf(frames, measureOf(axes.x), measureOf(axes.y)), [frames, axes.x, axes.y]);
  const limits = useMemo(() => limitsIn(rules), [rules]);
  return (
    <div className="flex shrink-0 border-t border-line bg-panel" style={{ height: CHART_HEIGHT }}>
      <AxesChoice {...{ frames, axes }} hasLimit={limits.some(({ measure }) => measure === axes.y)} onAxes={setAxes} />
      <Chart {...props} {...{ points, axes, limits, rules }} />
    </div>
  );
}

interface AxesProps {
  frames: GradedFrame[];
  axes: Axes;
  hasLimit: boolean;
  onAxes: (axes: Axes) => void;
}

/** What the chart shows over what, and a first limit for it. */
function AxesChoice({ frames, axes: { x, y }, hasLimit, onAxes }: AxesProps) {
  const session = useSession();
  const rules = useProject((state) => state.project.rules);
  const options = MEASURES.filter(({ value }) => frames.some((frame) => value(frame) !== null)).map(
    ({ id, label, unit }) => ({ value: id, label: unit ? `${label}, ${unit}` : label }),
  );
  return (
    <div className="flex w-48 shrink-0 flex-col gap-1.5 p-2">
      <Choice
        label="Measure upwards"
        help="What the chart shows upwards"
        value={y}
        options={options}
        onChange={(next) => onAxes({ x, y: next })}
      />
      <span className="flex items-center gap-1.5 text-quiet">
        over
        <Choice
          label="Measure across"
          help="What the chart shows across"
          value={x}
          options={options}
          onChange={(next) => onAxes({ x: next, y })}
        />
      </span>
      {measureOf(y).better !== null && !hasLimit ? (
        <Button
          help="Adds a limit that can be dragged in the chart; what lies beyond it is left out"
          onClick={() => session.subs.saveRules({ rules: [...rules, firstRule(crypto.randomUUID(), frames, y)] })}
        >
          Set a limit
        </Button>
      ) : null}
    </div>
  );
}

interface ChartProps extends Omit<Props, "frames"> {
  points: ChartPoint[];
  axes: Axes;
  limits: ReturnType<typeof limitsIn>;
  rules: Parameters<typeof limitsIn>[0];
}

function Chart({ points, axes, limits, rules, verdicts, currentId, selection, onPick, onSelect }: ChartProps) {
  const session = useSession();
  const { box, size } = useSize();
  const { width } = size;
  const [framing, setFraming] = useState<Framing | null>(null);
  const fitted = useMemo(
    () => fittedScales(points, limits, { x: axes.x, y: axes.y }, width),
    [points, limits, axes.x, axes.y, width],
  );
  // The axes stand still while a limit is dragged.
  const [held, setHeld] = useState<ChartScales | null>(null);
  const scales = held ?? fitted;
  const selected = new Set(selection);
  const place = (event: React.PointerEvent) => {
    const bounds = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - bounds.left, y: event.clientY - bounds.top };
  };
  const endFraming = (event: React.PointerEvent) => {
    if (!framing) return;
    setFraming(null);
    if (!isClick(framing)) return onSelect(framesIn(points, scales, framing));
    const near = nearestTo(points, scales, framing.x0, framing.y0);
    if (near) onPick(near.id, { ctrl: event.ctrlKey || event.metaKey, shift: event.shiftKey });
  };
  const lines = (["y", "x"] as const).flatMap((along) =>
    limits
      .filter(({ measure }) => measure === axes[along] && (along === "y" || axes.x !== axes.y))
      .map((rule) => (
        <LimitLine
          key={`${rule.id}${along}`}
          {...{ rule, along, scales, width, rules }}
          measure={measureOf(axes[along])}
          onPreview={(next) => session.subs.previewRules(next)}
          onSave={(next) => session.subs.saveRules({ rules: next })}
          onDrag={(isDragged) => setHeld(isDragged ? scales : null)}
        />
      )),
  );
  return (
    <div
      ref={box}
      className="min-w-0 flex-1"
      data-help="Click a point to see its sub; drag to select several; drag a limit to move it"
    >
      <svg
        width={width}
        height={CHART_HEIGHT}
        role="img"
        aria-label={`${measureOf(axes.y).label} over ${measureOf(axes.x).label}`}
        className="touch-none"
        onPointerDown={(event) => {
          const { x, y } = place(event);
          event.currentTarget.setPointerCapture(event.pointerId);
          setFraming({ x0: x, y0: y, x1: x, y1: y });
        }}
        onPointerMove={(event) => {
          const { x, y } = place(event);
          if (framing) setFraming({ ...framing, x1: x, y1: y });
        }}
        onPointerUp={endFraming}
      >
        <Grid {...{ scales, width }} isWhole={points.every(({ x }) => Number.isInteger(x))} />
        {points.map(({ frame, x, y }) => (
          <Dot
            key={frame.id}
            name={frame.name}
            at={[scales.x(x), scales.y(y)]}
            isIncluded={verdicts.get(frame.id)?.included !== false}
            isCurrent={frame.id === currentId}
            isSelected={selected.has(frame.id)}
          />
        ))}
        {lines}
        {framing ? <FramingBox {...framing} /> : null}
      </svg>
    </div>
  );
}

/** Lines and figures of the axes; what comes in whole numbers, such as the order, has no half ones. */
function Grid({ scales, width, isWhole }: { scales: ChartScales; width: number; isWhole: boolean }) {
  const text = { fill: "#a3a3a3", fontSize: 11, className: "figures" };
  return (
    <>
      {scales.y.ticks(4).map((tick) => (
        <g key={`y${tick}`}>
          <line x1={MARGIN.left} x2={width - MARGIN.right} y1={scales.y(tick)} y2={scales.y(tick)} stroke="#232323" />
          <text {...text} x={MARGIN.left - 6} y={scales.y(tick) + 4} textAnchor="end">
            {tick}
          </text>
        </g>
      ))}
      {scales.x
        .ticks(10)
        .filter((tick) => !isWhole || Number.isInteger(tick))
        .map((tick) => (
          <text {...text} key={`x${tick}`} x={scales.x(tick)} y={CHART_HEIGHT - 4} textAnchor="middle">
            {tick}
          </text>
        ))}
    </>
  );
}

interface DotProps {
  name: string;
  at: [number, number];
  isIncluded: boolean;
  isCurrent: boolean;
  isSelected: boolean;
}

function Dot({ name, at: [x, y], isIncluded, isCurrent, isSelected }: DotProps) {
  return (
    <circle
      data-point={name}
      cx={x}
      cy={y}
      r={isCurrent ? 5 : 3.5}
      fill={isIncluded ? "#e8e8e8" : "#151515"}
      stroke={isCurrent ? "#e0a44a" : isSelected ? "#e8e8e8" : isIncluded ? "none" : "#a3a3a3"}
      strokeWidth={isCurrent || isSelected ? 2 : 1}
      pointerEvents="none"
    />
  );
}

const FramingBox = ({ x0, y0, x1, y1 }: Framing) => (
  <rect
    x={Math.min(x0, x1)}
    y={Math.min(y0, y1)}
    width={Math.abs(x1 - x0)}
    height={Math.abs(y1 - y0)}
    fill="#e8e8e811"
    stroke="#a3a3a3"
  />
);
