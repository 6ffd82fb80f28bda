"use client";

import Link from "next/link";
import { useSyncExternalStore } from "react";
import { StackPictureView } from "../stack/stackPicture";
import { duration, fixed } from "../kit/format";
import { useProject, useSession } from "./session";

/** Below this width the screens have no room for their columns. */
const LEAST_WIDTH = 900;

/** Whether the window is too narrow for the screens (a phone). */
export function useIsNarrow(): boolean {
  return useSyncExternalStore(
    (changed) => {
      window.addEventListener("resize", changed);
      return () => window.removeEventListener("resize", changed);
    },
    () => window.innerWidth < LEAST_WIDTH,
    () => false,
  );
}

/** A project on a phone: its stacks to look at, and what they are. Nothing can be changed here. */
export function SmallScreen() {
  const session = useSession();
  const project = useProject((state) => state.project);
  const subs = useProject((state) => state.subs.length);
  const stacks = useProject((state) => state.stacks);
  const currentId = useProject((state) => state.currentStackId);
  const current = stacks.find(({ id }) => id === currentId) ?? stacks.at(-1) ?? null;
  return (
    <main className="flex h-screen flex-col gap-3 p-3">
      <div className="flex items-baseline gap-3">
        <h1 className="min-w-0 flex-1 truncate">{project.name}</h1>
        <Link href="/" className="text-accent underline">
          All projects
        </Link>
      </div>
      <p className="figures text-quiet">
        {subs} subs · {duration(project.integrationS ?? 0)} · {stacks.length} {stacks.length === 1 ? "stack" : "stacks"}
      </p>
      {current ? (
        <>
          {stacks.length > 1 ? (
            <ul className="flex flex-wrap gap-2">
              {stacks.map(({ id, name }) => (
                <li key={id}>
                  <button
                    type="button"
                    aria-pressed={id === current.id}
                    className={`rounded border px-3 py-1 ${id === current.id ? "border-accent" : "border-line text-quiet"}`}
                    onClick={() => session.stacks.select(id)}
                  >
                    {name}
                  </button>
                </li>
              ))}
            </ul>
          ) : null}
          <div className="min-h-0 flex-1">
            <StackPictureView key={current.id} stack={current} />
          </div>
          <p className="text-quiet">
            {current.name}: {current.report.subsUsed} subs, {duration(current.report.integrationS)}, FWHM{" "}
            {fixed(current.report.fwhmPx, 2)} px
          </p>
        </>
      ) : (
        <p>There is no stack to look at yet.</p>
      )}
      <p className="text-sm text-quiet">
        Choosing, stacking and comparing need a window of {LEAST_WIDTH} px or more. What runs goes on meanwhile.
      </p>
    </main>
  );
}
