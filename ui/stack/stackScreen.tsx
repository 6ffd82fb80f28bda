"use client";

import Link from "next/link";
import { useState } from "react";
import { useProject, useSession } from "../frame/session";
import { EmptyState } from "../kit/notice";
import { useJob } from "../kit/useJob";
import { SettingsColumn } from "./settingsColumn";
import { StackPictureView } from "./stackPicture";
import { StackReportView } from "./stackReport";
import { StackShelf } from "./stackShelf";
import { StackTable } from "./stackTable";

/** Make stacks, look at them and at what they are made of. */
export function StackScreen() {
  const stacks = useProject((state) => state.stacks);
  const currentId = useProject((state) => state.currentStackId);
  const current = stacks.find((stack) => stack.id === currentId) ?? null;
  const stacking = useJob("stack") !== undefined;
  const session = useSession();
  const [subId, setSubId] = useState<string | null>(null);
  const [sideBySide, setSideBySide] = useState(false);
  return (
    <div className="flex h-full">
      <SettingsColumn />
      <div className="flex min-w-0 flex-1 flex-col">
        <div className="min-h-0 flex-1">
          {sideBySide && stacks.length > 1 ? (
            <StackTable
              stacks={stacks}
              onSelect={(id) => {
                session.stacks.select(id);
                setSideBySide(false);
              }}
            />
          ) : current ? (
            <StackPictureView key={current.id} stack={current} subId={subId} />
          ) : (
            <NoStack stacking={stacking} />
          )}
        </div>
        <StackShelf stacks={stacks} currentId={currentId} sideBySide={sideBySide} onSideBySide={setSideBySide} />
      </div>
      {current ? <StackReportView stack={current} subId={subId} onSub={setSubId} /> : null}
    </div>
  );
}

function NoStack({ stacking }: { stacking: boolean }) {
  const subs = useProject((state) => state.subs.length);
  const id = useProject((state) => state.project.id);
  const isVideo = useProject((state) => state.subs.every(({ video }) => video !== null));
  if (subs === 0)
    return (
      <EmptyState title="No subs yet">
        Bring frames in on the{" "}
        <Link className="text-accent underline" href={`/p/${id}/subs`}>
          Subs
        </Link>{" "}
        screen first, or bring in a stack that was made elsewhere, at the lower left.
      </EmptyState>
    );
  if (stacking)
    return (
      <EmptyState title="The first stack is being made">
        It appears here with its coverage and its report. Every pixel is combined once for the stack and once for each
        of its halves.
      </EmptyState>
    );
  if (isVideo)
    return (
      <EmptyState title="No stack yet">
        Frames of a video have no stars to be matched by, and are not stacked yet: they can be looked through and ranked
        on the Subs screen. A stack that was made of them elsewhere can be brought in, at the lower left.
      </EmptyState>
    );
  return (
    <EmptyState title="No stack yet">
      The settings on the left need no change. Press “Make the stack”; two half-stacks are made along with it, whose
      difference is the true noise.
    </EmptyState>
  );
}
