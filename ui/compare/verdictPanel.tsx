"use client";

import { FileDown } from "lucide-react";
import { useStore } from "zustand";
import { blindCsv } from "@/core/compare";
import { setVerdict, verdictAt } from "@/state/board";
import { exportSheet } from "@/state/sheet";
import type { Board } from "@/storage";
import { download } from "../finish/download";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { sheetPng } from "./sheetPng";
import { Choice } from "../kit/choice";
import { counted, when } from "../kit/format";

const NONE = "none";

/** What was decided, at each spot and over all; the sheet that shows why; and what was tried on the way. */
export function VerdictPanel({ board }: { board: Board }) {
  const session = useSession();
  const places = [...board.spots.map(({ id, name }) => ({ id, name })), { id: null, name: "Over all" }];
  const choose = (spotId: string | null, name: string, laneId: string | null) => {
    session.board.change((b) => setVerdict(b, spotId, { laneId }));
    const lane = board.lanes.find(({ id }) => id === laneId);
    session.note(lane ? `${name}: lane ${lane.letter} is best` : `${name}: no verdict`);
  };
  return (
    <section data-testid="verdict">
      <h3 className="text-quiet">Verdict</h3>
      {places.map(({ id, name }) => (
        <div key={id ?? "all"} className="flex items-center gap-1 py-0.5">
          <span className="min-w-0 flex-1 truncate">{name}</span>
          <Choice
            label={`Best lane: ${name}`}
            help="The lane that you find best here"
            value={verdictAt(board, id).laneId ?? NONE}
            options={[
              { value: NONE, label: "–" },
              ...board.lanes.map((lane) => ({ value: lane.id, label: lane.letter })),
            ]}
            onChange={(laneId) => choose(id, name, laneId === NONE ? null : laneId)}
          />
        </div>
      ))}
      <textarea
        aria-label="Note to the verdict"
        data-help="A note to the verdict; it goes on the sheet"
        placeholder="Note"
        className="mt-1 h-14 w-full resize-none rounded border border-line bg-page px-1.5 py-1 text-sm"
        maxLength={2000}
        value={verdictAt(board, null).note}
        onChange={(event) => {
          const note = event.target.value;
          session.board.change((b) => setVerdict(b, null, { note }), "verdict.note");
        }}
      />
      <SheetButton board={board} />
      <Journal />
    </section>
  );
}

function SheetButton({ board }: { board: Board }) {
  const session = useSession();
  const jobs = useStore(session.jobs.store, (state) => state.jobs);
  const running = jobs.find(({ kind, error }) => kind === "sheet" && !error);
  const run = (as: "html" | "png") =>
    session.jobs.run("sheet", "Sheet", async (control) => {
      const html = await exportSheet(session, board, control);
      download(`sheet.${as}`, as === "png" ? await sheetPng(html) : new Blob([html], { type: "text/html" }));
      session.note(
        `Sheet of ${counted(board.lanes.length, "lane")} at ${counted(board.spots.length, "spot")} exported`,
      );
    });
  return (
    <div className="mt-1 flex flex-wrap items-center gap-1">
      {running ? (
        <>
          <span className="figures flex-1 text-sm text-quiet">Sheet: {Math.floor(100 * running.fraction)} %</span>
          <Button onClick={() => running.stop()}>Stop</Button>
        </>
      ) : (
        <>
          <Button
            help="Crops, settings, measures and verdicts of all lanes at all spots as one page (HTML) that needs nothing else"
            onClick={() => void run("html")}
          >
            <FileDown size={14} /> Export the sheet
          </Button>
          <Button help="The same page as one picture (PNG), without the chains" onClick={() => void run("png")}>
            As PNG
          </Button>
        </>
      )}
    </div>
  );
}

/** The newest entries first. */
function Journal() {
  const journal = useProject((state) => state.project.journal);
  if (journal.length === 0) return null;
  return (
    <details className="mt-2 text-sm text-quiet">
      <summary className="cursor-pointer">Journal, {journal.length}</summary>
      <ol className="mt-1 flex flex-col gap-1">
        {[...journal].reverse().map(({ at, text, trial }) => (
          <li key={`${at} ${text}`}>
            <span className="figures text-xs">{when(at)}</span> {text}
            {trial ? (
              <button
                type="button"
                className="ml-1 underline hover:text-text"
                title="Every choice of the trial, as CSV"
                onClick={() => download("blind-trial.csv", new Blob([blindCsv(trial)], { type: "text/csv" }))}
              >
                choices
              </button>
            ) : null}
          </li>
        ))}
      </ol>
    </details>
  );
}
