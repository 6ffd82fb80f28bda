"use client";

import { download } from "../finish/download";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { useJob } from "../kit/useJob";

/** A stack that was interrupted when the page was closed: to go on with, or to forget. */
export function Interrupted() {
  const session = useSession();
  const inWork = useProject((state) => state.project.stackInWork);
  const stacking = useJob("stack");
  if (!inWork || stacking) return null;
  return (
    <div role="status" className="space-y-2 border-l-2 border-accent bg-raised p-2" data-testid="interrupted">
      <p>“{inWork.name}” was interrupted when the page was closed. What was finished of it is kept.</p>
      <div className="flex gap-2">
        <Button help="Makes it from where it was interrupted" onClick={() => void session.stacks.goOn(inWork)}>
          Go on
        </Button>
        <Button kind="quiet" help="Forgets what was finished of it" onClick={() => session.stacks.giveUp()}>
          Give it up
        </Button>
      </div>
    </div>
  );
}

/** A stack that the browser's storage did not take: nothing of it is lost as long as the page is open. */
export function Unsaved() {
  const session = useSession();
  const unsaved = useProject((state) => state.unsaved);
  if (!unsaved) return null;
  const { record, pictures, reason } = unsaved;
  const base = record.name.replace(/[^\p{L}\p{N}]+/gu, "-").toLowerCase();
  return (
    <div role="status" className="space-y-2 border-l-2 border-warn bg-raised p-2" data-testid="unsaved">
      <p>
        “{record.name}” is made, but could not be stored: {reason}. It is kept as long as this page is open.
      </p>
      <div className="flex flex-wrap gap-2">
        <Button
          help="The stack, its halves and its coverage as FITS files"
          onClick={() => {
            for (const [kind, blob] of Object.entries(pictures))
              download(`${base}${kind === "mean" ? "" : `.${kind}`}.fits`, blob);
          }}
        >
          Save as files
        </Button>
        <Button help="After room was made" onClick={() => void session.stacks.storeUnsaved()}>
          Store it again
        </Button>
        <Button kind="quiet" onClick={() => session.stacks.dropUnsaved()}>
          Let it go
        </Button>
      </div>
    </div>
  );
}
