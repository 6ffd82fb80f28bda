"use client";

import { X } from "lucide-react";
import { useState } from "react";
import type { Equalled, EqualMeasure } from "@/core/compare";
import { decidingStep } from "@/core/compare";
import type { SkyPatch } from "@/core/measure";
import { Stopped } from "@/core/job";
import { isEmptyRegion } from "@/core/raster";
import type { EqualSubject } from "@/engine/jobs/equal";
import { equalStrength, readEqual } from "@/engine/jobs/equal";
import { failureOf } from "@/engine/protocol";
import { setStrengths } from "@/state/board";
import { affinityOf } from "@/state/ladder";
import { treatmentOf } from "@/state/treatment";
import type { Board, Lane } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { fixed, levelUnit } from "../kit/format";
import { NumberField } from "../kit/setting";
import { useDeskStore } from "./desk";
import { measuredRegion } from "./geometry";
import { LaneTick, toggled } from "./laneTick";
import { patchesOf } from "./useSkyPatches";

const MEASURES: Record<string, { label: string; measure: EqualMeasure }> = {
  all: { label: "noise left, all sizes", measure: { of: "noise", scale: null } },
  "0": { label: "noise left at 1 px", measure: { of: "noise", scale: 0 } },
  "1": { label: "noise left at 2 px", measure: { of: "noise", scale: 1 } },
  "2": { label: "noise left at 4 px", measure: { of: "noise", scale: 2 } },
  "3": { label: "noise left at 8 px", measure: { of: "noise", scale: 3 } },
  patches: { label: "grain in sky patches", measure: { of: "patches" } },
  width: { label: "width of the stars", measure: { of: "width" } },
};

interface Told {
  target: number;
  lanes: { letter: string; found: Equalled }[];
}

/** Makes lanes equal in what remains: asks which, in what, and to what; finds the strengths, sets them as one change, and tells how well they match. */
export function EqualBar({ board }: { board: Board }) {
  const session = useSession();
  const desk = useDeskStore();
  const first = useProject((state) => state.stacks[0] ?? null);
  const [what, setWhat] = useState("all");
  const { measure } = MEASURES[what];
  const canChange = (lane: Lane) => decidingStep(lane.steps, measure) >= 0;
  const [left, setLeft] = useState<readonly string[]>([]);
  const chosen = board.lanes.filter((lane) => canChange(lane) && !left.includes(lane.id));
  const [to, setTo] = useState<string>(board.selectedLaneId ?? board.lanes[0].id);
  const target = to === "sigma" || to === "db" ? null : (board.lanes.find(({ id }) => id === to) ?? board.lanes[0]);
  const [sigma, setSigma] = useState(1);
  const [db, setDb] = useState(-10);
  const [running, setRunning] = useState<AbortController | null>(null);
  const [told, setTold] = useState<Told | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const { unit, scale, digits } = first ? levelUnit(first.facts.unit) : { unit: "ADU", scale: 1, digits: 2 };
  const isWidth = measure.of === "width";
  const inUnits = (value: number) => (isWidth ? `${fixed(value, 2)} px` : `${fixed(value * scale, digits)} ${unit}`);

  const run = async () => {
    const abort = new AbortController();
    setRunning(abort);
    setProblem(null);
    setTold(null);
    const subjectOf = async (lane: Lane): Promise<EqualSubject> => {
      const known = await treatmentOf(session, lane);
      if (!known) throw new Error(`Lane ${lane.letter} has no stack that is tied to the project`);
      const { stack, toPicture, treatment } = known;
      const index = decidingStep(treatment.steps, measure);
      const patches = index < 0 ? undefined : patchesOf(treatment.steps[index])?.patches;
      const places =
        measure.of === "patches"
          ? (patches ?? (await session.facts.skyPatches(treatment))).map((patch) => ({ region: squareOf(patch) }))
          : // The squares of the figures under the crops: what was made for those is there.
            board.spots.map((spot) => ({
              region: measuredRegion(stack.facts, spot, board.view, toPicture),
              affinity: affinityOf(lane.id, spot.id, "measures"),
            }));
      return { treatment, index, places: places.filter(({ region }) => !isEmptyRegion(region)), measure };
    };
    try {
      const base = target ?? { ...board.lanes[0], steps: [] };
      const { value: reached } = await readEqual(session.pool, await subjectOf(base), null, abort.signal);
      const wanted = to === "sigma" ? sigma / (isWidth ? 1 : scale) : to === "db" ? reached * 10 ** (db / 20) : reached;
      if (!(wanted > 0))
        throw new Error(
          isWidth
            ? "No stars lie around the spots to measure a width of"
            : "This stack has no halves that tell its noise: choose grain in sky patches",
        );
      const lanes = await Promise.all(
        chosen
          .filter(({ id }) => id !== target?.id)
          .map(async (lane) => ({
            lane,
            found: await equalStrength(session.pool, await subjectOf(lane), wanted, abort.signal),
          })),
      );
      session.board.change((b) =>
        setStrengths(
          b,
          // A lane that cannot be brought there stays as it is.
          lanes
            .filter(({ found }) => found.isReached)
            .map(({ lane, found }) => ({
              laneId: lane.id,
              stepId: lane.steps[decidingStep(lane.steps, measure)].id,
              strength: found.strength,
            })),
        ),
      );
      session.note(
        `Made equal in ${MEASURES[what].label}, ${inUnits(wanted)}: ${lanes.map(({ lane, found }) => (found.isReached ? `${lane.letter} at strength ${fixed(found.strength, 2)}` : `${lane.letter} not possible`)).join(", ")}`,
      );
      setTold({ target: wanted, lanes: lanes.map(({ lane, ...rest }) => ({ letter: lane.letter, ...rest })) });
    } catch (error) {
      if (!(error instanceof Stopped)) setProblem(`${failureOf(error).message}.`);
    } finally {
      setRunning(null);
    }
  };

  return (
    <div className="shrink-0 border-b border-line bg-panel px-2 py-1" data-testid="equal-bar">
      <div className="flex flex-wrap items-center gap-1.5">
        <span>Make equal</span>
        <Choice
          label="What shall be equal"
          help="What shall be equal in the lanes, measured around the spots"
          value={what}
          options={Object.entries(MEASURES).map(([value, { label }]) => ({ value, label }))}
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
            disabled={chosen.filter(({ id }) => id !== target?.id).length === 0}
            help="Finds the strengths at which the lanes are equal, and sets them; one undo takes it back"
            onClick={() => void run()}
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
      {told ? <Result told={told} inUnits={inUnits} isNoise={!isWidth} /> : null}
    </div>
  );
}

const squareOf = ({ x, y, side }: SkyPatch) => ({
  x: Math.round(x - side / 2),
  y: Math.round(y - side / 2),
  width: side,
  height: side,
});

/** Sizes of detail at which noise is told, px. */
const SIZES = [1, 2, 4, 8];

function Result({ told, inUnits, isNoise }: { told: Told; inUnits: (v: number) => string; isNoise: boolean }) {
  const apart = SIZES.map((_, j) => {
    const at = told.lanes
      .filter(({ found }) => found.isReached)
      .map(({ found }) => found.scales[j])
      .filter((v) => v > 0);
    return at.length > 1 ? Math.max(...at) / Math.min(...at) - 1 : 0;
  });
  const worst = apart.indexOf(Math.max(...apart));
  return (
    <div className="figures text-sm text-quiet" data-testid="equal-result">
      wanted <span className="text-text">{inUnits(told.target)}</span>
      {told.lanes.map(({ letter, found }) => (
        <span key={letter}>
          {" · "}
          {found.isReached ? (
            <>
              {letter} strength <span className="text-text">{fixed(found.strength, 2)}</span>: {inUnits(found.before)} →{" "}
              <span className="text-text">{inUnits(found.reached)}</span> (
              {fixed(100 * (found.reached / told.target - 1), 1)} %)
            </>
          ) : (
            <span className="text-warn">
              {letter} stays at {inUnits(found.before)}: with the step at {found.strength} it comes to{" "}
              {inUnits(found.reached)} and no nearer
            </span>
          )}
        </span>
      ))}
      {isNoise && apart[worst] > 0.05 ? (
        <span>
          {" · "}at {SIZES[worst]} px they still differ by {Math.round(100 * apart[worst])} %
        </span>
      ) : null}
    </div>
  );
}
