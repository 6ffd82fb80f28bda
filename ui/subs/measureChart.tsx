"use client";

import { extent } from "d3-array";
import { scaleLinear } from "d3-scale";
import { useMemo, useRef, useState } from "react";
import type { GradedFrame, Measure, MeasureId, Rule, Verdict } from "@/core/choose";
import { MEASURES, firstRule, formatMeasure, measureOf, ruleSentence } from "@/core/choose";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { useSize } from "../viewer/useSize";

const HEIGHT = 128;
const MARGIN = { left: 46, right: 14, top: 8, bottom: 16 };

interface Props {
  frames: GradedFrame[];
  verdicts: ReadonlyMap<string, Verdict>;
  currentId: string | null;
  selection: readonly string[];
  onPick: (id: string, keys: { ctrl: boolean; shift: boolean }) => void;
  onSelect: (ids: string[]) => void;
}

type LimitRule = Extract<Rule, { kind: "limit" }>;

/** Any measure over time or against another; limits are dragged in it, points are picked or framed. */
export function MeasureChart({ frames, verdicts, currentId, selection, onPick, onSelect }: Props) {
  const session = useSession();
  const rules = useProject((state) => state.project.rules);
  const isVideo = frames.some(({ video }) => video !== null);
  const [axes, setAxes] = useState<{ x: MeasureId; y: MeasureId } | null>(null);
  const { x: xId, y: yId } = axes ?? { x: "order", y: isVideo ? "sharpness" : "fwhm" };
  const [xRead, yRead] = [measureOf(xId), measureOf(yId)];
  const box = useRef<HTMLDivElement>(null);
  const { width } = useSize(box);
  const [framing, setFraming] = useState<{ x0: number; y0: number; x1: number; y1: number } | null>(null);
  const [dragged, setDragged] = useState<string | null>(null);
  const points = useMemo(
    () =>
      frames.flatMap((frame) => {
        const [x, y] = [xRead.value(frame), yRead.value(frame)];
        return x === null || y === null ? [] : [{ frame, x, y }];
      }),
    [frames, xRead, yRead],
  );
  const limits = rules.filter((rule): rule is LimitRule => rule.kind === "limit" && rule.on);
  const fitted = useMemo(() => {
    const range = (values: number[], own: MeasureId) => {
      const [low = 0, high = 1] = extent([
        ...values,
        ...limits.filter(({ measure }) => measure === own).map(({ value }) => value),
      ]);
      const room = high === low ? Math.max(1e-9, Math.abs(high) * 0.05 || 0.5) : (high - low) * 0.06;
      return [low - room, high + room];
    };
    return {
      x: scaleLinear(
        range(
          points.map(({ x }) => x),
          xId,
        ),
        [MARGIN.left, Math.max(MARGIN.left + 1, width - MARGIN.right)],
      ),
      y: scaleLinear(
        range(
          points.map(({ y }) => y),
          yId,
        ),
        [HEIGHT - MARGIN.bottom, MARGIN.top],
      ),
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- limits are made of the rules
  }, [points, width, xId, yId, rules]);
  // The axes stand still while a limit is dragged.
  const standing = useRef(fitted);
  if (dragged === null) standing.current = fitted;
  const scales = standing.current;
  // What comes in whole numbers, such as the order, has no half ones.
  const isWhole = points.every(({ x }) => Number.isInteger(x));
  const xTicks = scales.x.ticks(10).filter((tick) => !isWhole || Number.isInteger(tick));
  const selected = new Set(selection);
  const place = (event: React.PointerEvent) => {
    const bounds = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - bounds.left, y: event.clientY - bounds.top };
  };
  const rulesWith = (id: string, value: number, { digits }: Measure): Rule[] =>
    rules.map((rule) =>
      rule.id === id && rule.kind === "limit" ? { ...rule, value: Number(value.toFixed(digits)) } : rule,
    );
  const line = (rule: LimitRule, along: "x" | "y") => {
    const { value } = rule;
    const at = scales[along](value);
    const read = along === "x" ? xRead : yRead;
    const horizontal = along === "y";
    const drag = (event: React.PointerEvent<SVGGElement>) => {
      const bounds = (event.currentTarget.ownerSVGElement as SVGSVGElement).getBoundingClientRect();
      return scales[along].invert(horizontal ? event.clientY - bounds.top : event.clientX - bounds.left);
    };
    const move = (by: number) =>
      session.subs.saveRules({ rules: rulesWith(rule.id, value + by * 10 ** -read.digits, read) });
    return (
      <g
        key={`${rule.id}${along}`}
        role="slider"
        tabIndex={0}
        aria-label={`Limit: ${ruleSentence(rule)}`}
        aria-valuenow={value}
        className={horizontal ? "cursor-ns-resize" : "cursor-ew-resize"}
        onPointerDown={(event) => {
          event.stopPropagation();
          event.currentTarget.setPointerCapture(event.pointerId);
          setDragged(rule.id);
        }}
        onPointerMove={(event) =>
          dragged === rule.id && session.subs.previewRules(rulesWith(rule.id, drag(event), read))
        }
        onPointerUp={(event) => {
          event.stopPropagation();
          if (dragged === rule.id) session.subs.saveRules({ rules });
          setDragged(null);
        }}
        onKeyDown={(event) => {
          const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
          if (by === undefined) return;
          event.preventDefault();
          event.stopPropagation();
          move(by * (event.shiftKey ? 10 : 1));
        }}
      >
        <line
          x1={horizontal ? MARGIN.left : at}
          x2={horizontal ? width - MARGIN.right : at}
          y1={horizontal ? at : MARGIN.top}
          y2={horizontal ? at : HEIGHT - MARGIN.bottom}
          stroke="transparent"
          strokeWidth={16}
        />
        <line
          x1={horizontal ? MARGIN.left : at}
          x2={horizontal ? width - MARGIN.right : at}
          y1={horizontal ? at : MARGIN.top}
          y2={horizontal ? at : HEIGHT - MARGIN.bottom}
          stroke="#e0a44a"
          strokeDasharray="5 3"
        />
        <text
          x={horizontal ? width - MARGIN.right : at + 4}
          y={horizontal ? at - 3 : MARGIN.top + 10}
          textAnchor={horizontal ? "end" : "start"}
          fill="#e0a44a"
          fontSize={11}
          className="figures"
        >
          {rule.side} {formatMeasure(read, value)}
        </text>
      </g>
    );
  };
  const options = MEASURES.filter(({ value }) => frames.some((frame) => value(frame) !== null)).map(
    ({ id, label, unit }) => ({
      value: id,
      label: unit ? `${label}, ${unit}` : label,
    }),
  );
  const hasLimit = limits.some(({ measure }) => measure === yId);
  return (
    <div className="flex shrink-0 border-t border-line bg-panel" style={{ height: HEIGHT }}>
      <div className="flex w-48 shrink-0 flex-col gap-1.5 p-2">
        <Choice
          label="Measure upwards"
          help="What the chart shows upwards"
          value={yId}
          options={options}
          onChange={(y) => setAxes({ x: xId, y })}
        />
        <span className="flex items-center gap-1.5 text-quiet">
          over
          <Choice
            label="Measure across"
            help="What the chart shows across"
            value={xId}
            options={options}
            onChange={(x) => setAxes({ x, y: yId })}
          />
        </span>
        {yRead.better !== null && !hasLimit ? (
          <Button
            help="Adds a limit that can be dragged in the chart; what lies beyond it is left out"
            onClick={() => session.subs.saveRules({ rules: [...rules, firstRule(crypto.randomUUID(), frames, yId)] })}
          >
            Set a limit
          </Button>
        ) : null}
      </div>
      <div
        ref={box}
        className="min-w-0 flex-1"
        data-help="Click a point to see its sub; drag to select several; drag a limit to move it"
      >
        <svg
          width={width}
          height={HEIGHT}
          role="img"
          aria-label={`${yRead.label} over ${xRead.label}`}
          className="touch-none"
          onPointerDown={(event) => {
            const { x, y } = place(event);
            event.currentTarget.setPointerCapture(event.pointerId);
            setFraming({ x0: x, y0: y, x1: x, y1: y });
          }}
          onPointerMove={(event) => {
            if (!framing) return;
            const { x, y } = place(event);
            setFraming({ ...framing, x1: x, y1: y });
          }}
          onPointerUp={(event) => {
            if (!framing) return;
            const { x0, y0, x1, y1 } = framing;
            setFraming(null);
            if (Math.hypot(x1 - x0, y1 - y0) < 4) {
              const near = points
                .map(({ frame, x, y }) => ({ frame, distance: Math.hypot(scales.x(x) - x0, scales.y(y) - y0) }))
                .sort((a, b) => a.distance - b.distance)[0];
              if (near && near.distance < 14)
                onPick(near.frame.id, { ctrl: event.ctrlKey || event.metaKey, shift: event.shiftKey });
              return;
            }
            const inside = points.filter(({ x, y }) => {
              const [px, py] = [scales.x(x), scales.y(y)];
              return (
                px >= Math.min(x0, x1) && px <= Math.max(x0, x1) && py >= Math.min(y0, y1) && py <= Math.max(y0, y1)
              );
            });
            onSelect(inside.map(({ frame }) => frame.id));
          }}
        >
          {scales.y.ticks(4).map((tick) => (
            <g key={`y${tick}`}>
              <line
                x1={MARGIN.left}
                x2={width - MARGIN.right}
                y1={scales.y(tick)}
                y2={scales.y(tick)}
                stroke="#232323"
              />
              <text
                x={MARGIN.left - 6}
                y={scales.y(tick) + 4}
                textAnchor="end"
                fill="#a3a3a3"
                fontSize={11}
                className="figures"
              >
                {tick}
              </text>
            </g>
          ))}
          {xTicks.map((tick) => (
            <text
              key={`x${tick}`}
              x={scales.x(tick)}
              y={HEIGHT - 4}
              textAnchor="middle"
              fill="#a3a3a3"
              fontSize={11}
              className="figures"
            >
              {tick}
            </text>
          ))}
          {points.map(({ frame, x, y }) => {
            const included = verdicts.get(frame.id)?.included !== false;
            const current = frame.id === currentId;
            return (
              <circle
                key={frame.id}
                data-point={frame.name}
                cx={scales.x(x)}
                cy={scales.y(y)}
                r={current ? 5 : 3.5}
                fill={included ? "#e8e8e8" : "#151515"}
                stroke={current ? "#e0a44a" : selected.has(frame.id) ? "#e8e8e8" : included ? "none" : "#a3a3a3"}
                strokeWidth={current || selected.has(frame.id) ? 2 : 1}
                pointerEvents="none"
              />
            );
          })}
          {limits.filter(({ measure }) => measure === yId).map((rule) => line(rule, "y"))}
          {limits.filter(({ measure }) => measure === xId && xId !== yId).map((rule) => line(rule, "x"))}
          {framing ? (
            <rect
              x={Math.min(framing.x0, framing.x1)}
              y={Math.min(framing.y0, framing.y1)}
              width={Math.abs(framing.x1 - framing.x0)}
              height={Math.abs(framing.y1 - framing.y0)}
              fill="#e8e8e811"
              stroke="#a3a3a3"
            />
          ) : null}
        </svg>
      </div>
    </div>
  );
}
