"use client";

import { differencesInWords } from "@/core/parameters";
import { stackParameters } from "@/core/stack";
import type { QueuedStack } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { counted, duration } from "../kit/format";
import { ProgressLine } from "../kit/notice";
import { useJob } from "../kit/useJob";

interface Props {
  disabled: boolean;
  onMake: () => void;
  onPrepare: () => void;
}

/** Makes the stack or puts it on the list of those that wait; shows how far the one in work is, and stops it. */
export function StackAction({ disabled, onMake, onPrepare }: Props) {
  const stacking = useJob("stack");
  const prepare = (
    <Button
      className="justify-center"
      disabled={disabled}
      help="Puts a stack with these settings on the list below; the list is made in one go"
      onClick={onPrepare}
    >
      Prepare for later
    </Button>
  );
  return (
    <>
      {stacking ? null : (
        <Button
          kind="primary"
          className="justify-center py-1.5"
          disabled={disabled}
          help="Registers, normalises, weights and combines the included subs"
          onClick={onMake}
        >
          Make the stack
        </Button>
      )}
      {prepare}
      {stacking ? (
        <div className="space-y-1.5" data-testid="stacking">
          <div className="flex justify-between">
            <span>{stacking.doing}</span>
            <span className="figures text-quiet">{Math.round(stacking.fraction * 100)} %</span>
          </div>
          <ProgressLine fraction={stacking.fraction} />
          <div className="flex items-center justify-between">
            <span className="text-quiet">
              {stacking.secondsLeft === null ? "" : `${duration(stacking.secondsLeft)} left`}
            </span>
            <Button onClick={stacking.stop}>Stop</Button>
          </div>
        </div>
      ) : null}
      <Waiting isBusy={stacking !== undefined} />
    </>
  );
}

/** Stacks that wait to be made, each saying what of it is not as it comes. */
function Waiting({ isBusy }: { isBusy: boolean }) {
  const session = useSession();
  const waiting = useProject((state) => state.project.stackQueue);
  if (waiting.length === 0) return null;
  return (
    <div className="shrink-0 space-y-1.5" data-testid="waiting">
      <p className="text-quiet">{isBusy ? "After it" : "Prepared"}:</p>
      <ol className="space-y-1">
        {waiting.map((run) => (
          <li key={run.id} className="rounded border border-line bg-raised px-2 py-1">
            <div className="flex items-center gap-1">
              <span className="min-w-0 flex-1 truncate">{run.name}</span>
              <Button
                kind="quiet"
                help={`Takes “${run.name}” off the list`}
                onClick={() => session.stacks.queue.remove(run.id)}
              >
                Take off
              </Button>
            </div>
            <p className="text-sm text-quiet">{wordsOf(run)}</p>
          </li>
        ))}
      </ol>
      {isBusy ? null : (
        <Button
          className="w-full justify-center"
          help="Makes them one after the other; each appears on the shelf as it is ready"
          onClick={() => void session.stacks.queue.work()}
        >
          {waiting.length === 1 ? "Make it" : `Make all ${waiting.length}`}
        </Button>
      )}
    </div>
  );
}

function wordsOf({ settings, only, gridId }: QueuedStack): string {
  const words = differencesInWords(stackParameters, settings, stackParameters.defaults);
  if (only) words.unshift(counted(only.length, "sub"));
  if (gridId) words.push("on the pixels of the common reference");
  return words.join("; ") || "as the settings come";
}
