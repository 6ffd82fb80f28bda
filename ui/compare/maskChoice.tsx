"use client";

import { Eye, EyeOff } from "lucide-react";
import { findMaskKind } from "@/core/mask";
import { addMask } from "@/state/masks";
import type { Board, Lane, LaneStep } from "@/storage";
import { useSession } from "../frame/session";
import { IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import type { Latency } from "./latency";
import { openMask, useDesk, useDeskStore } from "./desk";
import { KindMenu, MaskEditor } from "./maskEditor";

interface Props {
  board: Board;
  lane: Lane;
  step: LaneStep;
  latency: Latency;
  onChange: (part: Partial<LaneStep>, group: string) => void;
}

const EVERYWHERE = "everywhere";

/** Where a step acts: everywhere, or in one of the project's masks, which opens beneath. */
export function MaskChoice({ board, lane, step, latency, onChange }: Props) {
  const session = useSession();
  const desk = useDeskStore();
  const isOpen = useDesk(({ maskId }) => step.mask !== null && maskId === step.mask.id);
  return (
    <>
      <div className="flex items-center gap-1.5 py-1" data-setting="mask">
        <span className="flex-1 text-quiet">Acts</span>
        {board.masks.length > 0 ? (
          <Choice
            label="Where the step acts"
            help="Where the step acts: everywhere, or in a mask of this project"
            value={step.mask?.id ?? EVERYWHERE}
            options={[
              { value: EVERYWHERE, label: EVERYWHERE },
              ...board.masks.map(({ id, name }) => ({ value: id, label: `in ${name}` })),
            ]}
            onChange={(id) => {
              const mask = board.masks.find((one) => one.id === id) ?? null;
              onChange({ mask }, `${step.id}.mask`);
              openMask(desk, mask && isOpen ? mask.id : null);
            }}
          />
        ) : (
          <span>everywhere</span>
        )}
        <KindMenu
          label="Mask"
          className="!my-0"
          onKind={(kind) => {
            latency.changed();
            session.board.change((b) => {
              const [next, mask] = addMask(b, lane.id, step.id, kind);
              openMask(desk, mask.id);
              if (findMaskKind(kind.id)?.drawn) desk.setState({ drawing: 0 });
              return next;
            });
          }}
        />
        {step.mask ? (
          <IconButton
            label={isOpen ? "Close the mask" : `Open the mask ${step.mask.name}: shown on all crops`}
            help="Opens the mask and shows it on all crops"
            onClick={() => openMask(desk, isOpen ? null : (step.mask?.id ?? null))}
          >
            {isOpen ? <EyeOff size={14} /> : <Eye size={14} />}
          </IconButton>
        ) : null}
      </div>
      {isOpen && step.mask ? <MaskEditor mask={step.mask} board={board} latency={latency} /> : null}
    </>
  );
}
