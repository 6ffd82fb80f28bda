"use client";

import { Popover, Slider } from "radix-ui";
import type { ReactNode } from "react";
import { useId, useState } from "react";

interface Props {
  label: string;
  hint: string;
  unit?: string;
  min: number;
  max: number;
  step: number;
  value: number;
  onChange: (value: number) => void;
  /** Shown at the right of the label, such as a button. */
  extra?: ReactNode;
}

/** A number with a slider and a field; the field takes what is typed on Enter or when it is left. */
export function NumberSetting({ label, hint, unit, min, max, step, value, onChange, extra }: Props) {
  return (
    <div className="py-1" data-help={hint} title={hint}>
      <div className="flex items-center gap-2">
        <span className="flex-1 text-quiet">{label}</span>
        {extra}
        <NumberField label={label} min={min} max={max} step={step} value={value} onChange={onChange} />
        {unit ? <span className="min-w-6 text-xs text-quiet">{unit}</span> : null}
      </div>
      <NumberSlider className="mt-0.5" {...{ label, min, max, step, value, onChange }} />
    </div>
  );
}

/** A slider alone; its width is the caller's. */
export function NumberSlider({
  label,
  min,
  max,
  step,
  value,
  onChange,
  className = "",
}: FieldProps & { className?: string }) {
  return (
    <Slider.Root
      className={`relative -mx-2 -my-1 flex h-6 touch-none items-center select-none ${className}`}
      min={min}
      max={max}
      step={step}
      value={[value]}
      onValueChange={([next]) => onChange(next)}
    >
      <Slider.Track className="relative mx-3 h-[3px] grow rounded bg-line">
        <Slider.Range className="absolute h-full rounded bg-quiet" />
      </Slider.Track>
      {/* Wide enough to be hit; what is seen of it is slim. */}
      <Slider.Thumb aria-label={label} className="flex h-6 w-6 cursor-pointer items-center justify-center">
        <span className="h-3.5 w-2 rounded-sm bg-text" />
      </Slider.Thumb>
    </Slider.Root>
  );
}

interface FieldProps {
  label: string;
  min: number;
  max: number;
  step: number;
  value: number;
  onChange: (value: number) => void;
}

/** A field for a number. What cannot be taken stays, with what is wrong, until it is mended or given up. */
export function NumberField({ label, min, max, step, value, onChange }: FieldProps) {
  const [draft, setDraft] = useState<string | null>(null);
  const [isRefused, setRefused] = useState(false);
  const id = useId();
  const parsed = draft === null ? value : Number(draft.replace(",", "."));
  const wrong = draft !== null && (draft.trim() === "" || !Number.isFinite(parsed) || parsed < min || parsed > max);
  const show = (next: string | null) => {
    setDraft(next);
    setRefused(false);
  };
  const commit = () => {
    if (wrong) return setRefused(true);
    if (draft !== null) onChange(Number((Math.round(parsed / step) * step).toFixed(6)));
    show(null);
  };
  return (
    <Popover.Root open={isRefused}>
      <Popover.Anchor asChild>
        <input
          aria-label={`${label}, number`}
          aria-invalid={wrong}
          aria-describedby={isRefused ? id : undefined}
          inputMode="decimal"
          className={`figures w-14 rounded border bg-page px-1 text-right ${wrong ? "border-warn" : "border-line"}`}
          value={draft ?? format(value, step)}
          onChange={(event) => show(event.target.value)}
          onBlur={commit}
          onKeyDown={(event) => {
            if (event.key === "Enter") commit();
            if (event.key === "Escape") show(null);
            if (event.key === "ArrowUp" || event.key === "ArrowDown") {
              event.preventDefault();
              const next = value + (event.key === "ArrowUp" ? step : -step);
              onChange(Number(Math.min(max, Math.max(min, next)).toFixed(6)));
            }
            event.stopPropagation();
          }}
        />
      </Popover.Anchor>
      <Popover.Portal>
        <Popover.Content
          id={id}
          role="alert"
          align="end"
          sideOffset={3}
          collisionPadding={8}
          onOpenAutoFocus={(event) => event.preventDefault()}
          onCloseAutoFocus={(event) => event.preventDefault()}
          className="z-20 w-44 rounded border border-warn bg-raised px-1.5 py-0.5 text-xs text-warn"
        >
          A number from {format(min, step)} to {format(max, step)}; {format(value, step)} stays. Escape gives it up.
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function format(value: number, step: number): string {
  const digits = Math.max(0, Math.ceil(-Math.log10(step) - 1e-9));
  return value.toFixed(digits);
}
