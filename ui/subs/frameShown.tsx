"use client";

import { withParams } from "@/core/display";
import { Plus } from "lucide-react";
import { IconButton } from "../kit/button";
import { Tick } from "../kit/tick";
import { ShownPanel } from "../viewer/shownPanel";
import type { JudgingLook } from "./flipPicture";

interface Props {
  judging: JudgingLook;
  light: boolean;
  onJudging: (part: Partial<JudgingLook>) => void;
  onAddPatch: () => void;
}

/** In the picture's corner: how frames are shown while they are judged. */
export function FrameShown({ judging, light, onJudging, onAddPatch }: Props) {
  return (
    <ShownPanel
      className="absolute top-2 right-2"
      display={judging.display}
      onChange={(part) => onJudging({ display: withParams(judging.display, part) })}
    >
      {light ? (
        <div className="flex flex-col gap-1 py-1">
          <Tick
            className="gap-1.5"
            help="The frame as its file has it (A); else it lies over the reference, with its starlight and sky"
            checked={judging.asItCame}
            onChange={(asItCame) => onJudging({ asItCame })}
          >
            as it came
          </Tick>
          <span className="flex h-5 items-center gap-1.5">
            <Tick
              className="flex-1 gap-1.5"
              help="Patches of empty sky whose levels stand beside them (K)"
              checked={judging.patches}
              onChange={(patches) => onJudging({ patches })}
            >
              sky patches
            </Tick>
            {judging.patches ? (
              <IconButton label="Add a sky patch" className="!h-5 !w-5" onClick={onAddPatch}>
                <Plus size={13} />
              </IconButton>
            ) : null}
          </span>
        </div>
      ) : null}
    </ShownPanel>
  );
}
