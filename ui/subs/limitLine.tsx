"use client";

import { useState } from "react";
import type { Measure, Rule } from "@/core/choose";
import { formatMeasure, ruleSentence } from "@/core/choose";
import type { ChartScales, LimitRule } from "./chartScales";
import { CHART_HEIGHT, MARGIN } from "./chartScales";

interface Props {
  rule: LimitRule;
  /** Upwards ("y") the line is level. */
  along: "x" | "y";
  measure: Measure;
  scales: ChartScales;
  width: number;
  rules: readonly Rule[];
  /** While it is dragged, and at the end. */
  onPreview: (rules: Rule[]) => void;
  onSave: (rules: Rule[]) => void;
  onDrag: (isDragged: boolean) => void;
}

/** A limit as a line in the chart: dragged, or moved by arrow keys by its last digit. */
export function LimitLine({ rule, along, measure, scales, width, rules, onPreview, onSave, onDrag }: Props) {
  const [isDragged, setDragged] = useState(false);
  const isLevel = along === "y";
  const at = scales[along](rule.value);
  const withValue = (value: number): Rule[] =>
    rules.map((one) =>
      one.id === rule.id && one.kind === "limit" ? { ...one, value: Number(value.toFixed(measure.digits)) } : one,
    );
  const valueAt = (event: React.PointerEvent<SVGGElement>) => {
    const bounds = (event.currentTarget.ownerSVGElement as SVGSVGElement).getBoundingClientRect();
    return scales[along].invert(isLevel ? event.clientY - bounds.top : event.clientX - bounds.left);
  };
  const drag = (next: boolean) => {
    setDragged(next);
    onDrag(next);
  };
  const line = {
    x1: isLevel ? MARGIN.left : at,
    x2: isLevel ? width - MARGIN.right : at,
    y1: isLevel ? at : MARGIN.top,
    y2: isLevel ? at : CHART_HEIGHT - MARGIN.bottom,
  };
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={`Limit: ${ruleSentence(rule)}`}
      aria-valuenow={rule.value}
      className={isLevel ? "cursor-ns-resize" : "cursor-ew-resize"}
      onPointerDown={(event) => {
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        drag(true);
      }}
      onPointerMove={(event) => isDragged && onPreview(withValue(valueAt(event)))}
      onPointerUp={(event) => {
        event.stopPropagation();
        if (isDragged) onSave([...rules]);
        drag(false);
      }}
      onKeyDown={(event) => {
        const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
        if (by === undefined) return;
        event.preventDefault();
        event.stopPropagation();
        onSave(withValue(rule.value + by * (event.shiftKey ? 10 : 1) * 10 ** -measure.digits));
      }}
    >
      <line {...line} stroke="transparent" strokeWidth={16} />
      <line {...line} stroke="#e0a44a" strokeDasharray="5 3" />
      <text
        x={isLevel ? width - MARGIN.right : at + 4}
        y={isLevel ? at - 3 : MARGIN.top + 10}
        textAnchor={isLevel ? "end" : "start"}
        fill="#e0a44a"
        fontSize={11}
        className="figures"
      >
        {rule.side} {formatMeasure(measure, rule.value)}
      </text>
    </g>
  );
}
