import { UserError } from "@/core/job";
import { compose, describeWarp, enlargedBy, inverse, mapPoint } from "@/core/register";
import { makeSheet, shownByOne } from "@/engine/jobs/sheet";
import type { Board } from "@/storage";
import { verdictWords } from "./board";
import { shownByOf, displayedWords } from "./display";
import type { ProjectSession } from "./project";
import { treatmentOf } from "./treatment";

/** Side of the crops of a sheet, px. */
const SIDE = 256;
/** A stack is shown on its own pixels where it lies turned and enlarged by less than this over a crop, px. */
const OFF_GRID_PX = 0.5;

/** The sheet of all lanes at all spots, as HTML. Lanes whose stack is gone or could not be tied are left out. */
export async function exportSheet(
  session: ProjectSession,
  board: Board,
  options: { signal: AbortSignal; onProgress: (share: number) => void },
): Promise<string> {
  const square = (x: number, y: number) => ({
    x: Math.round(x) - SIDE / 2,
    y: Math.round(y) - SIDE / 2,
    width: SIDE,
    height: SIDE,
  });
  const { stacks } = session.store.getState();
  const lanes = [];
  for (const lane of board.lanes) {
    const known = await treatmentOf(session, lane);
    if (!known) continue;
    const { stack, toPicture, treatment } = known;
    const { scale, rotationDeg, isMirrored } = describeWarp(toPicture, board.spots[0]?.x ?? 0, board.spots[0]?.y ?? 0);
    const off = SIDE * Math.hypot(scale - 1, (rotationDeg * Math.PI) / 180);
    const finer = Math.max(1, Math.round(scale));
    lanes.push({
      letter: lane.letter,
      treatment,
      facts: stack.facts,
      stackId: stack.id,
      stackName: stack.name,
      integrationS: stack.report.integrationS || null,
      shownBy: shownByOf(board, lane, stack, stacks),
      regionOf: ({ x, y }: { x: number; y: number }) => square(...mapPoint(toPicture, x, y)),
      onto: ({ x, y }: { x: number; y: number }) =>
        off < OFF_GRID_PX && !isMirrored
          ? null
          : {
              region: square(...mapPoint(enlargedBy(finer), x, y)),
              onto: compose(enlargedBy(finer), inverse(toPicture)),
            },
    });
  }
  if (lanes.length === 0 || board.spots.length === 0)
    throw new UserError(
      "no lane has a stack that is tied to the project, or there is no spot",
      "Choose a stack for a lane, and add a spot.",
    );
  const { name, journal } = session.project;
  const { html } = await makeSheet(
    session.pool,
    {
      title: name,
      lanes,
      spots: board.spots.map((spot) => ({ ...spot, verdict: verdictWords(board, spot.id) })),
      shown: shownWords(board),
      verdict: verdictWords({ ...board, verdicts: board.verdicts.map((one) => ({ ...one, note: "" })) }, null),
      note: board.verdicts.find(({ spotId }) => spotId === null)?.note ?? "",
      journal: journal.map(({ at, ...entry }) => ({
        when: new Date(at).toISOString().slice(0, 16).replace("T", " "),
        ...entry,
      })),
    },
    { ...options, measure: (...of) => session.evidence.measuresOf(...of, options.signal) },
  );
  return html;
}

/** How the lanes of a sheet are shown, in a sentence. */
function shownWords(board: Board): string {
  const otherwise = displayedWords(board);
  return otherwise === "" ? shownByOne(board.display) : `${otherwise[0].toUpperCase()}${otherwise.slice(1)}.`;
}
