"use client";

import { Eye, EyeOff, Plus, RotateCcw } from "lucide-react";
import type { Places, PointsField } from "@/core/parameters";
import { inSentence, inWords } from "@/core/parameters";
import type { Board, LaneStep } from "@/storage";
import { IconButton } from "../kit/button";
import { openPlaced, useDesk, useDeskStore } from "./desk";

interface Props {
  board: Board;
  step: LaneStep;
  field: PointsField & { name: string };
  onChange: (value: Places) => void;
}

/** Points of a step: how many there are, and whether they are shown on the crops, where they are moved. */
export function PointsPanel({ board, step, field, onChange }: Props) {
  const desk = useDeskStore();
  const isOpen = useDesk(({ placed }) => placed?.stepId === step.id && placed.field === field.name);
  const points = (step.params[field.name] as Places | undefined) ?? [];
  const what = inSentence(field.label);
  const open = () => openPlaced(desk, { stepId: step.id, field: field.name });
  return (
    <div className="flex items-center gap-1.5 py-1" data-setting={field.name} title={field.hint}>
      <span className="flex-1 text-quiet">{field.label}</span>
      <span className="figures text-sm">{inWords(field, points)}</span>
      <IconButton
        label={`Add a ${what} in the middle of the first spot`}
        disabled={board.spots.length === 0 || points.length >= field.most}
        onClick={() => {
          const { x, y } = board.spots[0];
          const { panX, panY } = board.view;
          onChange([...points, [x + panX, y + panY]]);
          open();
        }}
      >
        <Plus size={14} />
      </IconButton>
      <IconButton label={`Remove every ${what}`} disabled={points.length === 0} onClick={() => onChange([])}>
        <RotateCcw size={14} />
      </IconButton>
      <IconButton
        label={isOpen ? `Hide every ${what}` : `Show every ${what} on the crops`}
        help="Shows the points on all crops, where they can be moved"
        onClick={() => (isOpen ? openPlaced(desk, null) : open())}
      >
        {isOpen ? <EyeOff size={14} /> : <Eye size={14} />}
      </IconButton>
    </div>
  );
}
