"use client";

import type { SubRecord } from "@/storage";
import { Button } from "../kit/button";

interface Props {
  current: SubRecord;
  reference: SubRecord | null;
  rival: SubRecord | null;
  selection: readonly string[];
  /** Relations that are being measured. */
  grading: { done: number; of: number } | null;
  /** Calibration frames of the project. */
  others: number;
  /** Which sub the others are matched to and why, in words. */
  reason: { text: string; lines: readonly string[] } | null;
  onDecide: (include: boolean) => void;
  onRules: () => void;
  onRemove: () => void;
  onMatch: () => void;
  onRival: () => void;
}

/** Above the table: what the others are matched to, the rival, or what to do with the frames that are selected. */
export function ReferenceStrip(props: Props) {
  const { current, reference, rival, selection, grading, others, reason } = props;
  return (
    <div className="flex h-7 shrink-0 items-center gap-3 border-b border-line px-2 text-sm text-quiet">
      {selection.length > 1 ? (
        <span className="flex items-center gap-2">
          {selection.length} selected
          <Button kind="quiet" onClick={() => props.onDecide(false)}>
            Leave out
          </Button>
          <Button kind="quiet" onClick={() => props.onDecide(true)}>
            Take in
          </Button>
          <Button kind="quiet" help="Takes the decision of a hand back (Shift O)" onClick={props.onRules}>
            Leave it to the rules
          </Button>
          <Button
            kind="quiet"
            help="Removes the selected frames and their files from the project; it can be undone (Delete)"
            onClick={props.onRemove}
          >
            Remove
          </Button>
        </span>
      ) : (
        <span className="min-w-0 flex-1 truncate" title={reason?.lines.join("\n")} data-testid="proposal">
          {reason?.text ?? ""}
        </span>
      )}
      {selection.length > 1 || current.type !== "light" ? null : (
        <span className="flex shrink-0 items-center">
          {current.id === reference?.id ? null : (
            <Button kind="quiet" help="Registers and scales the others to this sub (M)" onClick={props.onMatch}>
              Match others to this
            </Button>
          )}
          {rival ? (
            <Button kind="quiet" help={`To ${rival.name} and back (T)`} onClick={props.onRival}>
              To the rival and back
            </Button>
          ) : null}
        </span>
      )}
      <span className="ml-auto shrink-0">
        {grading ? `comparing ${grading.done} of ${grading.of}` : others > 0 ? `${others} calibration frames` : ""}
      </span>
    </div>
  );
}
