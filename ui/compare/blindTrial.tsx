"use client";

import { useEffect, useMemo, useRef, useState } from "react";
import type { BlindChoice, BlindPair, BlindRecord } from "@/core/compare";
import { blindCounts, blindCsv, blindPairs } from "@/core/compare";
import type { Board, Lane, StackRecord } from "@/storage";
import { download } from "../finish/download";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { fixed } from "../kit/format";
import { NumberField } from "../kit/setting";
import { useKeys } from "../kit/useKeys";
import { PlacedCrop } from "../viewer/placedCrop";
import { useDrag } from "../viewer/useDrag";
import { useDeskStore } from "./desk";
import { LaneChip, laneWords } from "./laneHeader";
import { LaneTick, toggled } from "./laneTick";
import { useLaneCrop, useLaneView } from "./useLaneCrop";

interface Props {
  board: Board;
  first: StackRecord;
}

/** Lanes against one another without their names: pairs in an order and with sides by chance, until all were seen. */
export function BlindTrial({ board, first }: Props) {
  const desk = useDeskStore();
  useSpotBefore(board.look.spotId);
  const [left, setLeft] = useState<readonly string[]>([]);
  const [rounds, setRounds] = useState(2);
  const [pairs, setPairs] = useState<BlindPair[] | null>(null);
  // Names that stand for the lanes as they are when the trial begins.
  const [lanes, setLanes] = useState<readonly Lane[]>([]);
  const [choices, setChoices] = useState<readonly BlindChoice[]>([]);
  const close = () => desk.setState({ bar: null });
  if (!pairs) {
    const chosen = board.lanes.filter(({ id }) => !left.includes(id));
    const count = (rounds * board.spots.length * chosen.length * (chosen.length - 1)) / 2;
    return (
      <div className="flex flex-1 flex-col items-center justify-center gap-3 bg-page" data-testid="blind-start">
        <h2>Blind trial</h2>
        <p className="max-w-md text-center text-quiet">
          Two lanes at a time at the same place, without their names, sides by chance. Choose the better one, or no
          difference. At the end you see which they were, and how likely such a result is by luck.
        </p>
        <div className="flex items-center gap-2">
          {board.lanes.map((lane) => (
            <LaneTick
              key={lane.id}
              lane={lane}
              isIn={chosen.includes(lane)}
              onToggle={() => setLeft(toggled(left, lane.id))}
            />
          ))}
          <span className="text-quiet">each pair at each spot</span>
          <NumberField label="Times each pair is shown" min={1} max={5} step={1} value={rounds} onChange={setRounds} />
          <span className="text-quiet">times: {count} pairs</span>
        </div>
        <div className="flex gap-2">
          <Button
            kind="primary"
            disabled={count === 0}
            onClick={() => {
              const ids = chosen.map(({ id }) => id);
              setLanes(chosen);
              setPairs(
                blindPairs(
                  ids,
                  board.spots.map(({ id }) => id),
                  rounds,
                  { uniform: Math.random },
                ),
              );
            }}
          >
            Begin
          </Button>
          <Button onClick={close}>Close</Button>
        </div>
      </div>
    );
  }
  if (choices.length === pairs.length)
    return <Outcome {...{ pairs, choices, lanes }} spots={board.spots} onClose={close} />;
  const pair = pairs[choices.length];
  return (
    <Round
      key={choices.length}
      {...{ board, first, pair, lanes }}
      done={choices.length}
      of={pairs.length}
      onChoice={(choice) => setChoices([...choices, choice])}
      onBack={choices.length > 0 ? () => setChoices(choices.slice(0, -1)) : undefined}
      onStop={close}
    />
  );
}

/** When the trial is left, the spot that was chosen before it is so again. */
function useSpotBefore(spotId: string | null): void {
  const { board } = useSession();
  const before = useRef(spotId);
  useEffect(() => () => board.amend((b) => ({ ...b, look: { ...b.look, spotId: before.current } })), [board]);
}

function Round({
  board,
  first,
  pair,
  lanes,
  done,
  of,
  onChoice,
  onBack,
  onStop,
}: Props & {
  pair: BlindPair;
  lanes: readonly Lane[];
  done: number;
  of: number;
  onChoice: (choice: BlindChoice) => void;
  onBack?: () => void;
  onStop: () => void;
}) {
  const session = useSession();
  // The list and the overview show which spot this is.
  useEffect(() => {
    session.board.amend((b) => ({ ...b, look: { ...b.look, spotId: pair.spotId } }));
  }, [session, pair.spotId]);
  useKeys("j", () => onChoice("left"), [onChoice]);
  useKeys("k", () => onChoice("same"), [onChoice]);
  useKeys("l", () => onChoice("right"), [onChoice]);
  const laneOf = (id: string) => lanes.find((lane) => lane.id === id) ?? lanes[0];
  return (
    <div className="flex min-h-0 flex-1 flex-col" data-testid="blind-round">
      <div className="grid min-h-0 flex-1 grid-cols-2 gap-px bg-line">
        {(["left", "right"] as const).map((side) => (
          <Side key={side} {...{ board, first, side }} lane={laneOf(pair[side])} spotId={pair.spotId} />
        ))}
      </div>
      <div className="flex h-11 shrink-0 items-center justify-center gap-2 border-t border-line bg-panel">
        <span className="figures w-24 text-quiet">
          {done + 1} of {of}
        </span>
        <Button onClick={() => onChoice("left")}>Left is better (J)</Button>
        <Button onClick={() => onChoice("same")}>No difference (K)</Button>
        <Button onClick={() => onChoice("right")}>Right is better (L)</Button>
        <Button kind="quiet" disabled={!onBack} onClick={onBack}>
          One back
        </Button>
        <Button kind="quiet" onClick={onStop}>
          Stop the trial
        </Button>
      </div>
    </div>
  );
}

function Side({ board, first, lane, spotId, side }: Props & { lane: Lane; spotId: string; side: "left" | "right" }) {
  const { view, error } = useLaneView(lane, board, first);
  const spot = board.spots.find(({ id }) => id === spotId) ?? board.spots[0];
  if (!view)
    return (
      <p role="alert" className="bg-page p-3 text-warn">
        {error}
      </p>
    );
  return <SideCrop {...{ board, first, view, spot, side }} />;
}

function SideCrop({
  board,
  first,
  view,
  spot,
  side,
}: Props & {
  view: NonNullable<ReturnType<typeof useLaneView>["view"]>;
  spot: Board["spots"][number];
  side: "left" | "right";
}) {
  const session = useSession();
  const { box, seen, treated, shown, curves } = useLaneCrop(view, spot, board.view, first.facts, null);
  const drag = useDrag(
    () => (board.view.zoom === "fit" ? null : board.view.zoom),
    (zoom, { dx, dy }) =>
      session.board.amend((b) => ({
        ...b,
        view: { ...b.view, panX: b.view.panX - dx / zoom, panY: b.view.panY - dy / zoom },
      })),
  );
  return (
    <div
      ref={box}
      role="img"
      aria-label={`The ${side} one at ${spot.name}`}
      className="relative cursor-move touch-none overflow-hidden bg-page"
      data-cell={`${side}:${spot.name}`}
      data-pending={treated.pending || view.treatment === null}
      {...drag}
    >
      <PlacedCrop
        {...{ shown, curves }}
        shows={board.look.shows}
        left={seen.left}
        top={seen.top}
        scale={seen.scale}
        pending={treated.pending}
      />
    </div>
  );
}

function Outcome({
  pairs,
  choices,
  lanes,
  spots,
  onClose,
}: {
  pairs: readonly BlindPair[];
  choices: readonly BlindChoice[];
  lanes: readonly Lane[];
  spots: Board["spots"];
  onClose: () => void;
}) {
  const session = useSession();
  const counts = useMemo(() => blindCounts(pairs, choices), [pairs, choices]);
  const laneOf = (id: string) => lanes.find((lane) => lane.id === id) ?? lanes[0];
  const words = counts.map(({ a, b, forA, forB, same, chance }) => {
    const [p, q] = [laneOf(a).letter, laneOf(b).letter];
    return `${p} ${forA} : ${forB} ${q} (${same} alike, chance ${chanceWords(chance)})`;
  });
  const record: BlindRecord = {
    lanes: lanes.map((lane) => ({ letter: lane.letter, words: laneWords(lane) })),
    choices: choices.map((choice, k) => ({
      spot: spots.find(({ id }) => id === pairs[k].spotId)?.name ?? "",
      left: laneOf(pairs[k].left).letter,
      right: laneOf(pairs[k].right).letter,
      choice,
    })),
  };
  // A trial that came to its end is kept, once.
  const isKept = useRef(false);
  useEffect(() => {
    if (isKept.current) return;
    isKept.current = true;
    session.note(`Blind trial of ${choices.length} pairs: ${words.join("; ")}`, record);
  });
  return (
    <div className="flex flex-1 flex-col items-center justify-center gap-3 bg-page" data-testid="blind-outcome">
      <h2>Who was who</h2>
      <table className="figures">
        <thead className="text-quiet">
          <tr>
            <th className="px-3 font-normal">lane</th>
            <th className="px-3 font-normal">found better</th>
            <th className="px-3 font-normal">lane</th>
            <th className="px-3 font-normal">alike</th>
            <th
              className="px-3 font-normal"
              title="Chance of so uneven a count, or more, if both were alike: exact two-sided binomial test without the pairs that were found alike"
            >
              by luck
            </th>
          </tr>
        </thead>
        <tbody>
          {counts.map(({ a, b, forA, forB, same, chance }) => (
            <tr key={`${a} ${b}`} className="border-t border-line">
              <LaneCell lane={laneOf(a)} />
              <td className="px-3 text-center">
                {forA} : {forB}
              </td>
              <LaneCell lane={laneOf(b)} />
              <td className="px-3 text-center">{same}</td>
              <td className="px-3 text-right">{chanceWords(chance)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="text-quiet">
        Below 5 % is hardly luck; above, look at more pairs before you believe it. The trial is kept in the journal,
        with every choice.
      </p>
      <div className="flex gap-2">
        <Button
          help="Every choice in the order in which it was made, as CSV"
          onClick={() => download("blind-trial.csv", new Blob([blindCsv(record)], { type: "text/csv" }))}
        >
          Export the choices
        </Button>
        <Button onClick={onClose}>Close</Button>
      </div>
    </div>
  );
}

function LaneCell({ lane }: { lane: Lane }) {
  return (
    <td className="px-3 py-1">
      <span className="flex items-center gap-1.5" title={laneWords(lane)}>
        <LaneChip letter={lane.letter} />
        <span className="max-w-44 truncate font-sans">{laneWords(lane)}</span>
      </span>
    </td>
  );
}

const chanceWords = (chance: number): string =>
  chance < 0.001 ? "< 0.1 %" : `${fixed(100 * chance, chance < 0.1 ? 1 : 0)} %`;
