"use client";

import { scaleLinear, scalePoint } from "d3-scale";
import { CopyPlus } from "lucide-react";
import { toast } from "sonner";
import type { LeastError } from "@/core/compare";
import { findOperation } from "@/core/operations";
import { spotOf } from "@/state/board";
import type { Rung } from "@/state/ladder";
import { keepRung, rungAsLane } from "@/state/ladder";
import type { ProjectSession } from "@/state/project";
import type { Board, Lane } from "@/storage";
import { useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { fixed } from "../kit/format";
import { focusSetting } from "./focusSetting";
import { cropTime, LaneChip, laneWords } from "./laneHeader";
import type { LadderErrors } from "./useLadderErrors";

/** Error of a rung in σ of the noise; whether it is the least, and whether it differs from that by no more than chance. */
export interface RungError {
  error: number;
  isBest: boolean;
  isAlike: boolean;
}

export const rungErrorOf = (told: LeastError | null, k: number): RungError | null =>
  told && { error: told.errors[k], isBest: told.best === k, isAlike: told.alike[k] };

const valuesWords = ({ value, second }: Rung): string => (second === null ? String(value) : `${value} · ${second}`);

/** Keeps a rung as the lane's setting, closes the ladder, and notes it in the journal. */
function keep(session: ProjectSession, board: Board, rung: Rung): void {
  const field = board.ladder?.field;
  session.board.change((b) => keepRung(b, rung.value, rung.second));
  session.note(`Of the ladder of ${field ?? "a setting"}, ${valuesWords(rung)} was kept (${laneWords(rung.lane)})`);
  if (field) focusSetting(field);
}

/** The values of a rung, and its error; it is kept as the lane's setting, or as a lane of its own. */
export function RungHeader({
  board,
  lane,
  rung,
  cropMs,
  error,
}: {
  board: Board;
  lane: Lane;
  rung: Rung;
  cropMs: number | null;
  error: RungError | null;
}) {
  const session = useSession();
  const { value, second } = rung;
  const isGrid = second !== null;
  const words = error ? `${fixed(error.error, 2)} σ` : cropTime(cropMs);
  return (
    <div
      className={`flex shrink-0 items-center gap-1 overflow-hidden bg-panel px-1.5 ${isGrid ? "h-8" : "h-15"}`}
      data-rung={lane.letter}
    >
      {isGrid ? null : <LaneChip letter={lane.letter} />}
      <span className="figures min-w-0 flex-1 truncate leading-4" title={valuesWords(rung)}>
        {valuesWords(rung)}
        <span
          className={`block text-xs leading-3 whitespace-nowrap ${error?.isBest ? "text-accent" : error?.isAlike ? "text-text" : "text-quiet"}`}
          title={
            error
              ? `Held-out error in σ of the noise before${error.isBest ? ", the least" : error.isAlike ? ", no different from the least but by chance" : ""}`
              : "Time of one crop"
          }
          data-error={error?.error}
        >
          {words}
        </span>
      </span>
      <Button
        className="!px-1.5 !py-0.5 text-sm"
        help="Keeps this value as the lane's setting and closes the ladder"
        onClick={() => keep(session, board, rung)}
      >
        Keep
      </Button>
      <IconButton
        label={`Make a lane of its own of rung ${lane.letter}`}
        help="Makes a lane of its own of a rung; the ladder stays open"
        onClick={() => {
          session.board.change((b) => rungAsLane(b, value, second));
          const after = session.store.getState().board?.present.lanes ?? [];
          const made = after.find(({ id }) => board.lanes.every((known) => known.id !== id));
          if (made) toast(`Lane ${made.letter} was made of ${valuesWords(rung)}; it shows when the ladder is closed`);
        }}
      >
        <CopyPlus size={14} />
      </IconButton>
    </div>
  );
}

interface BarProps {
  board: Board;
  rungs: readonly Rung[];
  errors: LadderErrors;
  /** The errors that are shown: around all spots, or around `errorSpot`. */
  told: LeastError | null;
  errorSpot: string | null;
  onErrorSpot: (spotId: string | null) => void;
}

export function LadderBar(props: BarProps) {
  const { board } = props;
  const session = useSession();
  const lane = board.lanes.find(({ id }) => id === board.ladder?.laneId);
  const { ladder } = board;
  return (
    <div className="flex min-h-9 shrink-0 items-center gap-3 border-b border-line bg-panel px-2">
      <span className="min-w-0 flex-1">
        Ladder of lane {lane?.letter}:{" "}
        <span className="text-quiet">
          {settingLabel(lane, ladder)} at {ladder?.values.join(", ")}
          {ladder?.second
            ? `; by rows ${settingLabel(lane, ladder.second)} at ${ladder.second.values.join(", ")}; at ${spotOf(board)?.name ?? "the spot"}`
            : ""}
        </span>
      </span>
      <ErrorPart {...props} />
      <Button
        help="Closes the ladder and shows the lanes again; nothing changes"
        onClick={() => session.board.amend((b) => ({ ...b, ladder: null }))}
      >
        Close ladder
      </Button>
    </div>
  );
}

/** Where the halves show the least error: drawn over the setting, with what differs from it by chance only, and set by a click. */
function ErrorPart({ board, rungs, errors: { bySpot, left, isPossible }, told, errorSpot, onErrorSpot }: BarProps) {
  const session = useSession();
  if (!isPossible)
    return (
      <span
        className="text-quiet"
        title="The halves tell the error of noise reduction, and of one step alone that takes a known blur away, to the same sharpness on every rung, before any stretch."
      >
        no error told of these rungs
      </span>
    );
  if (!told) return <span className="figures text-quiet">errors: {left} places to go</span>;
  const best = rungs[told.best];
  if (!best) return null;
  const alike = rungs.filter((_, k) => told.alike[k]);
  const range =
    alike.length === 1
      ? "every other differs"
      : board.ladder?.second
        ? `${alike.length - 1} others are no different`
        : `no different: ${alike.map(({ value }) => value).join(", ")}`;
  return (
    <>
      {bySpot.size > 1 ? (
        <Choice
          label="Where the error is told"
          help="Around which spots the halves tell the error: what is best at one may not be at another"
          value={errorSpot !== null && bySpot.has(errorSpot) ? errorSpot : ALL}
          options={[
            { value: ALL, label: "all spots" },
            ...board.spots.filter(({ id }) => bySpot.has(id)).map(({ id, name }) => ({ value: id, label: name })),
          ]}
          onChange={(spotId) => onErrorSpot(spotId === ALL ? null : spotId)}
        />
      ) : null}
      {board.ladder?.second ? null : <ErrorChart rungs={rungs} told={told} />}
      <span
        className="text-sm text-quiet"
        data-testid="ladder-least"
        title="Held against data that the rungs have not seen: noise that is left and detail that is lost or made up, together, in σ of the stack’s noise. After a deconvolution these data are first brought to its sharpness."
      >
        least error at <span className="figures text-text">{valuesWords(best)}</span>
        <span className="figures block whitespace-nowrap">{range}</span>
      </span>
      <Button
        help="Sets the lane to the value of least error and closes the ladder"
        onClick={() => keep(session, board, best)}
      >
        Set to {valuesWords(best)}
      </Button>
    </>
  );
}

/** All spots together. */
const ALL = "all";

const [WIDTH, HEIGHT] = [120, 32];

/** Errors over the values of a ladder; what is no different from the least lies on a lighter ground. */
function ErrorChart({ rungs, told }: { rungs: readonly Rung[]; told: LeastError }) {
  const { errors, best, alike } = told;
  const x = scalePoint(
    rungs.map((_, k) => k),
    [6, WIDTH - 6],
  );
  const y = scaleLinear([Math.min(...errors), Math.max(...errors)], [HEIGHT - 4, 4]);
  const at = (k: number) => x(k) ?? 0;
  const half = x.step() / 2;
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      className="shrink-0"
      role="img"
      aria-label={`Held-out error over the setting, least at ${rungs[best].value}`}
    >
      <title>Held-out error over the setting; on the lighter ground no different from the least but by chance</title>
      {rungs.map((_, k) =>
        alike[k] ? (
          <rect key={k} x={at(k) - half} y={0} width={2 * half} height={HEIGHT} fill="#2b2b2b" data-alike={k} />
        ) : null,
      )}
      <polyline points={errors.map((v, k) => `${at(k)},${y(v)}`).join(" ")} fill="none" stroke="#a3a3a3" />
      {errors.map((v, k) => (
        <circle key={k} cx={at(k)} cy={y(v)} r={2.5} fill={k === best ? "#e0a44a" : "#a3a3a3"} />
      ))}
    </svg>
  );
}

/** What a setting of a lane is called. */
function settingLabel(lane: Lane | undefined, of: { stepId: string; field: string } | null): string {
  const step = lane?.steps.find(({ id }) => id === of?.stepId);
  const fields = step ? findOperation(step.operation)?.parameters.fields : undefined;
  return fields?.find(({ name }) => name === of?.field)?.label.toLowerCase() ?? of?.field ?? "";
}
