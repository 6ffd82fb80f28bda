"use client";

import { X } from "lucide-react";
import { useState } from "react";
import { decidingStep } from "@/core/compare";
import { Stopped } from "@/core/job";
import { failureOf } from "@/engine/protocol";
import type { Board, Lane } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { fixed, levelUnit } from "../kit/format";
import { NumberField } from "../kit/setting";
import { useDeskStore } from "./desk";
import { EqualResult } from "./equalResult";
import { LaneTick, toggled } from "./laneTick";
import type { EqualTo, MadeEqual } from "./makeEqual";
import { EQUAL_IN, makeEqual } from "./makeEqual";

/**
 * Makes lanes equal in what remains: asks which, in what, and to what; finds the strengths, sets
 * them as one change, and says how well they match.
 */
export function EqualBar({ board }: { board: Board }) {
  const desk = useDeskStore();
  const first = useProject((state) => state.stacks[0] ?? null);
  const [what, setWhat] = useState("all");
  const { measure } = EQUAL_IN[what];
  const canChange = (lane: Lane) => decidingStep(lane.steps, measure) >= 0;
  const [left, setLeft] = useState<readonly string[]>([]);
  const chosen = board.lanes.filter((lane) => canChange(lane) && !left.includes(lane.id));
  const [to, setTo] = useState<string>(board.selectedLaneId ?? board.lanes[0].id);
  const target = to === "sigma" || to === "db" ? null : (board.lanes.find(({ id }) => id === to) ?? board.lanes[0]);
  const others = chosen.filter(({ id }) => id !== target?.id);
  const [sigma, setSigma] = useState(1);
  const [db, setDb] = useState(-10);
  const isWidth = measure.of === "width";
  const { unit, scale, digits } = first ? levelUnit(first.facts.unit) : { unit: "ADU", scale: 1, digits: 2 };
  const inUnits = (value: number) =>
    isWidth ? `${fixed(value, 3)} px` : `${fixed(value * scale, digits + 1)} ${unit}`;
  const wanted = (): EqualTo => {
    if (target) return { lane: target };
    return to === "sigma" ? { value: sigma / (isWidth ? 1 : scale) } : { share: 10 ** (db / 20) };
  };
  const { running, made, problem, run } = useMaking(board, what, inUnits);
  return (
    <div className="shrink-0 border-b border-line bg-panel px-2 py-1" data-testid="equal-bar">
      <div className="flex flex-wrap items-center gap-1.5">
        <span>Make equal</span>
        <Choice
          label="What shall be equal"
          help="What shall be equal in the lanes, measured around the spots"
          value={what}
          options={Object.entries(EQUAL_IN).map(([value, { label }]) => ({ value, label }))}
          onChange={setWhat}
        />
        <span className="text-quiet">in</span>
        {board.lanes.map((lane) => (
          <LaneTick
            key={lane.id}
            lane={lane}
            isIn={chosen.includes(lane)}
            whyNot={
              canChange(lane)
                ? null
                : `Lane ${lane.letter} has no step that could change it; it can be what the others are made equal to`
            }
            onToggle={() => setLeft(toggled(left, lane.id))}
          />
        ))}
        <span className="text-quiet">to</span>
        <Choice
          label="What they are made equal to"
          help="The lane, or the value, that the others are made equal to"
          value={to}
          options={[
            ...board.lanes.map(({ id, letter }) => ({ value: id, label: `lane ${letter}` })),
            { value: "sigma", label: isWidth ? "a width" : "a noise" },
            { value: "db", label: "dB of the stack's" },
          ]}
          onChange={setTo}
        />
        {to === "sigma" ? (
          <NumberField
            label={isWidth ? "Width to reach, px" : `Noise to reach, ${unit}`}
            min={0.001}
            max={100000}
            step={0.01}
            value={sigma}
            onChange={setSigma}
          />
        ) : null}
        {to === "db" ? (
          <NumberField label="Decibels to reach" min={-60} max={0} step={0.1} value={db} onChange={setDb} />
        ) : null}
        {running ? (
          <Button onClick={() => running.abort()}>Stop</Button>
        ) : (
          <Button
            kind="primary"
            disabled={others.length === 0}
            help="Finds the strengths at which the lanes are equal, and sets them; one undo takes it back"
            onClick={() => void run(others, wanted())}
          >
            Set the strengths
          </Button>
        )}
        {running ? <span className="text-quiet">trying strengths on the crops …</span> : null}
        <IconButton label="Close" className="ml-auto" onClick={() => desk.setState({ bar: null })}>
          <X size={14} />
        </IconButton>
      </div>
      {problem ? (
        <p role="alert" className="text-warn">
          {problem}
        </p>
      ) : null}
      {made ? <EqualResult made={made} inUnits={inUnits} isNoise={!isWidth} /> : null}
    </div>
  );
}

/** Makes lanes equal on demand: what runs, what came of it, and what went wrong. */
function useMaking(board: Board, what: string, inUnits: (value: number) => string) {
  const session = useSession();
  const [running, setRunning] = useState<AbortController | null>(null);
  const [made, setMade] = useState<MadeEqual | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const run = async (lanes: readonly Lane[], to: EqualTo) => {
    const abort = new AbortController();
    setRunning(abort);
    setProblem(null);
    setMade(null);
    try {
      const { label, measure } = EQUAL_IN[what];
      const found = await makeEqual(session, board, lanes, { measure, to }, abort.signal);
      const each = found.lanes.map(({ lane, found: { isReached, strength } }) =>
        isReached ? `${lane.letter} at strength ${fixed(strength, 2)}` : `${lane.letter} not possible`,
      );
      session.note(`Made equal in ${label}, ${inUnits(found.target)}: ${each.join(", ")}`);
      setMade(found);
    } catch (error) {
      if (!(error instanceof Stopped)) setProblem(`${failureOf(error).message}.`);
    } finally {
      setRunning(null);
    }
  };
  return { running, made, problem, run };
}
