"use client";

import { useState } from "react";
import { useProject, useSession } from "./session";

const MOST_LETTERS = 80;

/** The project's name; a click makes it a field, Enter or leaving it takes what was typed, Escape does not. */
export function ProjectTitle() {
  const session = useSession();
  const name = useProject((state) => state.project.name);
  const [typed, setTyped] = useState<string | null>(null);
  const end = (isTaken: boolean) => {
    if (isTaken && typed !== null) session.rename(typed);
    setTyped(null);
  };
  if (typed !== null)
    return (
      <input
        aria-label="Name of the project"
        className="w-56 rounded border border-line bg-page px-1.5 py-0.5"
        maxLength={MOST_LETTERS}
        autoFocus
        value={typed}
        onFocus={(event) => event.target.select()}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={() => end(true)}
        onKeyDown={(event) => {
          if (event.key === "Enter" || event.key === "Escape") end(event.key === "Enter");
        }}
      />
    );
  return (
    <h1 className="max-w-56 min-w-0" data-testid="project-name">
      <button
        type="button"
        className="max-w-full truncate rounded border border-transparent px-1.5 py-0.5 hover:border-line"
        title={`${name}: click to give it another name`}
        data-help="Gives the project another name"
        onClick={() => setTyped(name)}
      >
        {name}
      </button>
    </h1>
  );
}
