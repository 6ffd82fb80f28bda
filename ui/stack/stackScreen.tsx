"use client";

import { referenceOf } from "@/state/selectors";
import Link from "next/link";
import { useEffect, useMemo, useState } from "react";
import { useStore } from "zustand";
import { extent } from "d3-array";
import { toSample } from "@/core/formats";
import { stretchCurves, stretchParameters } from "@/core/operations";
import type { StackSettings } from "@/core/stack";
import { stackParameters, stackSettings } from "@/core/stack";
import type { Treatment } from "@/engine/tasks/crop";
import { exposureOf } from "@/state/lights";
import type { StackRecord, SubRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { useTools } from "../frame/workspace";
import { useGrades } from "../subs/grades";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { duration } from "../kit/format";
import { EmptyState, ProgressLine } from "../kit/notice";
import { InlineParameter } from "../kit/parameterSetting";
import { Tick } from "../kit/tick";
import type { Look } from "../viewer/pictureViewer";
import { PictureViewer } from "../viewer/pictureViewer";
import { StackReportView } from "./stackReport";
import { StackShelf } from "./stackShelf";

/** Make stacks, look at them and at what they are made of. */
export function StackScreen() {
  const stacks = useProject((state) => state.stacks);
  const currentId = useProject((state) => state.currentStackId);
  const current = stacks.find((stack) => stack.id === currentId) ?? null;
  const stacking = useStacking() !== undefined;
  return (
    <div className="flex h-full">
      <SettingsColumn />
      <div className="flex min-w-0 flex-1 flex-col">
        <div className="min-h-0 flex-1">
          {current ? <StackPictureView key={current.id} stack={current} /> : <NoStack stacking={stacking} />}
        </div>
        <StackShelf stacks={stacks} currentId={currentId} />
      </div>
      {current ? <StackReportView stack={current} /> : null}
    </div>
  );
}

/** The running stack job, if there is one. */
function useStacking() {
  const jobs = useStore(useTools().jobs.store, (state) => state.jobs);
  return jobs.find((job) => job.kind === "stack" && !job.error);
}

function NoStack({ stacking }: { stacking: boolean }) {
  const subs = useProject((state) => state.subs.length);
  const id = useProject((state) => state.project.id);
  if (subs === 0)
    return (
      <EmptyState title="No subs yet">
        Bring frames in on the{" "}
        <Link className="text-accent underline" href={`/p/${id}/subs`}>
          Subs
        </Link>{" "}
        screen first.
      </EmptyState>
    );
  if (stacking)
    return (
      <EmptyState title="The first stack is being made">
        It appears here with its coverage and its report. Every pixel is combined once for the stack and once for each
        of its halves.
      </EmptyState>
    );
  return (
    <EmptyState title="No stack yet">
      The settings on the left need no change. Press “Make the stack”; two half-stacks are made along with it, whose
      difference is the true noise.
    </EmptyState>
  );
}

function SettingsColumn() {
  const session = useSession();
  const subs = useProject((state) => state.subs);
  const stacks = useProject((state) => state.stacks);
  const asked = useProject((state) => state.project.referenceId);
  const [settings, setSettings] = useState<StackSettings>(() => stackSettings.parse({}));
  const [name, setName] = useState("");
  const { lights, verdicts, sets } = useGrades();
  const [setKey, setSetKey] = useState("all");
  const only = sets.find(({ key }) => key === setKey);
  const inSet = new Set(only?.frames.map(({ id }) => id));
  const included = lights.filter(({ id }) => verdicts.get(id)?.included && (!only || inSet.has(id)));
  const masters = useProject((state) => state.masters);
  const plan = useProject((state) => state.project.calibration);
  const [use, setUse] = useState(plan.use);
  const kinds = (["dark", "flat", "bias"] as const).filter((kind) => masters.some((master) => master.kind === kind));
  const referenceId = included.some(({ id }) => id === asked) ? asked : null;
  const stacking = useStacking();
  const reference = useMemo(() => referenceOf(session.store.getState()), [session, subs]); // eslint-disable-line react-hooks/exhaustive-deps -- the session reads them from the store
  const proposed = included.find(({ id }) => id === reference?.id) ?? null;
  const isVideo = included.some(({ video }) => video !== null);
  const exposedS = timeOf(included);
  const inline = (name: keyof typeof stackParameters.defaults) => (
    <InlineParameter
      of={stackParameters}
      name={name}
      values={settings}
      onChange={(part) => setSettings((before) => ({ ...before, ...part }))}
    />
  );
  return (
    <aside className="flex w-72 shrink-0 flex-col gap-3 overflow-auto border-r border-line bg-panel p-3">
      <p>
        Stack <b className="figures">{included.length}</b> {isVideo ? "frames" : "subs"}
        {exposedS > 0 ? `, ${duration(exposedS)} in all` : ""}.
      </p>
      {sets.length > 1 ? (
        <Sentence label="Of">
          <Choice
            label="Set"
            help="Subs of one filter, exposure, camera or night"
            value={only ? setKey : "all"}
            options={[
              { value: "all", label: "all sets together" },
              ...sets.map(({ key, label, frames }) => ({ value: key, label: `${label} (${frames.length})` })),
            ]}
            onChange={setSetKey}
          />
        </Sentence>
      ) : null}
      {kinds.length > 0 ? (
        <div
          className="flex flex-wrap items-center gap-x-3 text-quiet"
          data-help="Other masters than on the Subs screen make another stack from the same subs; they are measured again for it"
          data-testid="calibrated-with"
        >
          Calibrate with
          {kinds.map((kind) => (
            <Tick
              key={kind}
              className="gap-1 text-text"
              checked={use[kind]}
              onChange={(checked) => setUse({ ...use, [kind]: checked })}
            >
              {{ dark: "darks", flat: "flats", bias: "bias" }[kind]}
            </Tick>
          ))}
        </div>
      ) : null}
      <Sentence label="Match them to">
        <Choice
          label="Reference sub"
          help="The sub to which all others are registered and scaled"
          value={referenceId ?? "best"}
          options={[
            { value: "best", label: proposed ? `the best one (${proposed.name})` : "the best one" },
            ...included.map((sub) => ({ value: sub.id, label: sub.name })),
          ]}
          onChange={(value) => session.subs.saveRules({ referenceId: value === "best" ? null : value })}
        />
      </Sentence>
      <Sentence label="Allow">{inline("transform")}</Sentence>
      <Sentence label="Resample with">{inline("resampling")}</Sentence>
      <Sentence label="Weight subs">{inline("weights")}</Sentence>
      <Sentence label="Reject">{inline("reject")}</Sentence>
      {settings.reject === "sigma" ? (
        <div className="flex items-center gap-2 pl-3 text-quiet">
          below {inline("lowSigma")} σ, above {inline("highSigma")} σ
        </div>
      ) : null}
      <div className="flex items-center gap-2 text-quiet">
        Leave out subs wider than {inline("fwhmLimit")} × the median FWHM
      </div>
      {inline("keepDoubles")}
      {inline("mixFilters")}
      <div className="flex items-center gap-2 text-quiet">Use at most {inline("memoryMiB")} MB</div>
      <label className="flex items-center gap-2 text-quiet">
        Call it
        <input
          aria-label="Name of the stack"
          className="min-w-0 flex-1 rounded border border-line bg-page px-1.5 py-0.5 text-text"
          placeholder={`Stack ${stacks.length + 1}`}
          maxLength={80}
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
      </label>
      {stacking ? (
        <div className="space-y-1.5" data-testid="stacking">
          <div className="flex justify-between">
            <span>{stacking.doing}</span>
            <span className="figures text-quiet">{Math.round(stacking.fraction * 100)} %</span>
          </div>
          <ProgressLine fraction={stacking.fraction} />
          <div className="flex items-center justify-between">
            <span className="text-quiet">
              {stacking.secondsLeft === null ? "" : `${duration(stacking.secondsLeft)} left`}
            </span>
            <Button onClick={stacking.stop}>Stop</Button>
          </div>
        </div>
      ) : (
        <Button
          kind="primary"
          className="justify-center py-1.5"
          disabled={included.length === 0}
          help="Registers, normalises, weights and combines the included subs"
          onClick={() => {
            void session.stacks.make(
              name.trim() || `Stack ${stacks.length + 1}`,
              { ...settings, referenceId },
              { only: only ? inSet : undefined, plan: { ...plan, use } },
            );
            setName("");
          }}
        >
          Make the stack
        </Button>
      )}
    </aside>
  );
}

/** Exposure of all, in seconds; frames of a video without an exposure of their own have the time from the first to the last. */
function timeOf(subs: SubRecord[]): number {
  const exposedS = exposureOf(subs);
  const [first, last] = extent(subs, ({ timeMs }) => timeMs ?? undefined);
  return exposedS > 0 || first === undefined ? exposedS : (last - first) / 1000;
}

function Sentence({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="text-quiet">{label}</span>
      {children}
    </div>
  );
}

function StackPictureView({ stack }: { stack: StackRecord }) {
  const session = useSession();
  const { width, height, stretch } = stack.facts;
  const [look, setLook] = useState<Look>({ x: width / 2, y: height / 2, scale: null });
  const [shows, setShows] = useState<"mean" | "coverage">("mean");
  const [treatment, setTreatment] = useState<Treatment | null>(null);
  useEffect(() => {
    let gone = false;
    void session.files.stack(stack, shows).then((picture) => {
      if (!gone)
        setTreatment({
          picture,
          halves: null,
          fill: shows === "mean" ? stack.facts.fill : [0],
          fullScale: toSample(stack.facts.unit, stack.facts.unit.fullScale),
          steps: [],
          facts: [],
        });
    });
    return () => {
      gone = true;
    };
  }, [session, stack, shows]);
  // Coverage counts subs: it is shown from black (none) to white (all of them).
  const most = stack.report.subsUsed;
  const curves = useMemo(
    () => (shows === "mean" ? stretchCurves(stretchParameters.defaults, stretch) : [{ black: 0, white: 1, a: 1e-3 }]),
    [shows, stretch],
  );
  return (
    <div className="relative h-full">
      <PictureViewer
        crops={session.crops}
        treatment={treatment}
        width={width}
        height={height}
        curves={curves}
        scaleValues={shows === "coverage" ? 1 / most : 1}
        look={look}
        onLook={setLook}
        label={`Stack ${stack.name}`}
      />
      <div className="absolute top-2 left-2 flex gap-1">
        <Button
          help="The stack with the display stretch"
          aria-pressed={shows === "mean"}
          className={shows === "mean" ? "border-quiet" : "text-quiet"}
          onClick={() => setShows("mean")}
        >
          Picture
        </Button>
        <Button
          help={`How many subs have data at each pixel: black 0, white ${most}`}
          aria-pressed={shows === "coverage"}
          className={shows === "coverage" ? "border-quiet" : "text-quiet"}
          onClick={() => setShows("coverage")}
        >
          Coverage
        </Button>
      </div>
    </div>
  );
}
