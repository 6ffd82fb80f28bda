"use client";

import { FileInput } from "lucide-react";
import { useState } from "react";
import { inWords } from "@/core/job";
import { FILE_ENDINGS } from "@/core/formats";
import type { ImportedKernel } from "@/core/parameters";
import { failureOf } from "@/engine/protocol";
import { blurOfChosen, blurOfLane } from "@/state/takenBlur";
import type { Board, Lane } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { FileChooser } from "../kit/fileChooser";

interface Props {
  board: Board;
  lane: Lane;
  kernel: ImportedKernel | null;
  onTake: (kernel: ImportedKernel) => void;
}

/** Takes a blur from a file, or from the stars of another lane's stack. */
export function ImportedPsf({ board, lane, kernel, onTake }: Props) {
  const session = useSession();
  const [state, setState] = useState<"idle" | "busy" | { problem: string }>("idle");
  const take = (taking: Promise<ImportedKernel>) => {
    setState("busy");
    taking
      .then((taken) => {
        setState("idle");
        onTake(taken);
      })
      .catch((reason: unknown) => {
        const { message, advice } = failureOf(reason);
        setState({ problem: inWords(message, advice) });
      });
  };
  const others = board.lanes.filter(({ id, stackId }) => id !== lane.id && stackId !== lane.stackId);
  return (
    <div className="space-y-1 py-1" data-testid="kept-blur">
      <div className="flex flex-wrap items-center gap-1.5">
        <FileChooser
          testId="choose-blur"
          label="A file that shows the blur"
          accept={FILE_ENDINGS}
          onChoose={([file]) => take(blurOfChosen(session, file))}
        >
          {(choose) => (
            <Button help="Takes the blur of a star, or of a stack's stars, in a file" onClick={choose}>
              <FileInput size={14} /> From a file
            </Button>
          )}
        </FileChooser>
        {others.length > 0 ? (
          <Choice
            label="Take the blur from the stars of another lane's stack"
            help="Takes the blur from the stars of another lane's stack, at the scale of this one"
            value=""
            placeholder="From a lane …"
            options={others.map(({ id, letter }) => ({ value: id, label: `lane ${letter}` }))}
            onChange={(id) => {
              const other = others.find((one) => one.id === id);
              if (other) take(blurOfLane(session, other, lane));
            }}
          />
        ) : null}
      </div>
      <p className={typeof state === "object" ? "text-sm text-warn" : "text-sm text-quiet"} aria-live="polite">
        {state === "busy"
          ? "measuring …"
          : typeof state === "object"
            ? state.problem
            : kernel
              ? `Taken from ${kernel.from}`
              : ""}
      </p>
    </div>
  );
}
