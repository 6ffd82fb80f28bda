"use client";

import Link from "next/link";
import { useEffect, useMemo, useState } from "react";
import { useStore } from "zustand";
import { stretchCurves, stretchParams } from "@/core/operations";
import type { StackSettings } from "@/core/stack";
import { stackSettings } from "@/core/stack";
import type { Treatment } from "@/engine/tasks/crop";
import { failureOf } from "@/engine/protocol";
import type { StackRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { useTools } from "../frame/workspace";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { duration } from "../kit/format";
import { EmptyState, ProgressLine } from "../kit/notice";
import { NumberField } from "../kit/setting";
import type { Look } from "../viewer/pictureViewer";
import { PictureViewer } from "../viewer/pictureViewer";
import { differences } from "./stackDifferences";
import { StackReportView } from "./stackReport";

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
  return jobs.find((job) => job.label.startsWith("Stacking") && !job.error);
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
  const included = subs.filter((sub) => sub.included);
  const referenceId = included.some(({ id }) => id === asked) ? asked : null;
  const stacking = useStacking();
  const proposed = useMemo(() => session.proposedReference(), [session, subs]); // eslint-disable-line react-hooks/exhaustive-deps
  const change = (part: Partial<StackSettings>) => setSettings((before) => ({ ...before, ...part }));
  return (
    <aside className="flex w-72 shrink-0 flex-col gap-3 overflow-auto border-r border-line bg-panel p-3">
      <p>
        Stack <b className="figures">{included.length}</b> subs,{" "}
        {duration(included.reduce((sum, sub) => sum + (sub.metadata.exposureS ?? 0), 0))} in all.
      </p>
      <Sentence label="Match them to">
        <Choice
          label="Reference sub"
          help="The sub to which all others are registered and scaled"
          value={referenceId ?? "best"}
          options={[
            { value: "best", label: proposed ? `the best one (${proposed.name})` : "the best one" },
            ...included.map((sub) => ({ value: sub.id, label: sub.name })),
          ]}
          onChange={(value) => session.saveProject({ referenceId: value === "best" ? null : value })}
        />
      </Sentence>
      <Sentence label="Allow">
        <Choice
          label="Transform"
          help="Similarity: shift, turn, scale. Affine also takes up shear from flexure or refraction"
          value={settings.transform}
          options={[
            { value: "similarity", label: "shift, turn and scale" },
            { value: "affine", label: "shift, turn, scale and shear" },
          ]}
          onChange={(transform) => change({ transform })}
        />
      </Sentence>
      <Sentence label="Resample with">
        <Choice
          label="Resampling"
          help="Lanczos keeps stars sharpest; bicubic rings least"
          value={settings.resampling}
          options={[
            { value: "lanczos3", label: "Lanczos 3" },
            { value: "bicubic", label: "bicubic" },
          ]}
          onChange={(resampling) => change({ resampling })}
        />
      </Sentence>
      <Sentence label="Weight subs">
        <Choice
          label="Weights"
          help="By their noise after scaling gives the least noise that these subs allow"
          value={settings.weights}
          options={[
            { value: "noise", label: "by their noise" },
            { value: "equal", label: "all alike" },
          ]}
          onChange={(weights) => change({ weights })}
        />
      </Sentence>
      <Sentence label="Reject">
        <Choice
          label="Rejection"
          help="What lies far from the other subs at a pixel: trails, cosmic-ray hits"
          value={settings.reject}
          options={[
            { value: "sigma", label: "outliers beyond σ limits" },
            { value: "none", label: "nothing" },
          ]}
          onChange={(reject) => change({ reject })}
        />
      </Sentence>
      {settings.reject === "sigma" ? (
        <div className="flex items-center gap-2 pl-3 text-quiet">
          below
          <NumberField
            label="Low limit"
            min={0.5}
            max={20}
            step={0.1}
            value={settings.lowSigma}
            onChange={(lowSigma) => change({ lowSigma })}
          />
          σ, above
          <NumberField
            label="High limit"
            min={0.5}
            max={20}
            step={0.1}
            value={settings.highSigma}
            onChange={(highSigma) => change({ highSigma })}
          />
          σ
        </div>
      ) : null}
      <div className="flex items-center gap-2 text-quiet" data-help="Leaves out subs with wider stars; 0 keeps all">
        Leave out subs wider than
        <NumberField
          label="FWHM limit"
          min={0}
          max={20}
          step={0.1}
          value={settings.fwhmLimit}
          onChange={(fwhmLimit) => change({ fwhmLimit })}
        />
        × the median FWHM
      </div>
      <div
        className="flex items-center gap-2 text-quiet"
        data-help="Memory for samples of subs; less makes smaller tiles, not another result"
      >
        Use at most
        <NumberField
          label="Memory"
          min={64}
          max={65536}
          step={64}
          value={settings.memoryMiB}
          onChange={(memoryMiB) => change({ memoryMiB })}
        />
        MB
      </div>
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
            void session.stack(name.trim() || `Stack ${stacks.length + 1}`, { ...settings, referenceId });
            setName("");
          }}
        >
          Make the stack
        </Button>
      )}
    </aside>
  );
}

function Sentence({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="text-quiet">{label}</span>
      {children}
    </div>
  );
}

/** The stacks made so far, each saying what differs from the one before it. */
function StackShelf({ stacks, currentId }: { stacks: StackRecord[]; currentId: string | null }) {
  const session = useSession();
  const [error, setError] = useState<string | null>(null);
  if (stacks.length === 0) return null;
  return (
    <div className="shrink-0 border-t border-line bg-panel">
      {error ? <p className="px-3 pt-2 text-warn">{error}</p> : null}
      <ul className="flex gap-2 overflow-x-auto p-2" aria-label="Stacks">
        {stacks.map((stack, i) => (
          <li
            key={stack.id}
            className={`w-56 shrink-0 rounded border bg-raised px-2 py-1.5 ${stack.id === currentId ? "border-accent" : "border-line"}`}
          >
            <button type="button" className="w-full text-left" onClick={() => session.selectStack(stack.id)}>
              <span className="block text-quiet">
                {stack.report.subsUsed} subs · {duration(stack.report.integrationS)}
              </span>
              <span className="block truncate text-sm text-quiet">
                {i === 0 ? "" : differences(stacks[i - 1], stack)}
              </span>
            </button>
            <div className="flex items-center gap-1">
              <input
                aria-label="Name of this stack"
                className="min-w-0 flex-1 rounded bg-transparent hover:bg-page focus:bg-page"
                value={stack.name}
                maxLength={80}
                onChange={(event) => session.renameStack(stack.id, event.target.value)}
              />
              <Button
                kind="quiet"
                help={`Deletes “${stack.name}” and its halves`}
                onClick={() => {
                  try {
                    session.deleteStack(stack.id);
                    setError(null);
                  } catch (reason) {
                    const { message, advice } = failureOf(reason);
                    setError(`${message}. ${advice}`);
                  }
                }}
              >
                Delete
              </Button>
            </div>
          </li>
        ))}
      </ul>
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
    void session.stackFrame(stack, shows).then((picture) => {
      if (!gone)
        setTreatment({
          picture,
          halves: null,
          fill: shows === "mean" ? stack.facts.fill : [0],
          steps: [],
          contexts: [],
        });
    });
    return () => {
      gone = true;
    };
  }, [session, stack, shows]);
  // Coverage counts subs: it is shown from black (none) to white (all of them).
  const most = stack.report.subsUsed;
  const curves = useMemo(
    () => (shows === "mean" ? stretchCurves(stretchParams.parse({}), stretch) : [{ black: 0, a: 1e-3 }]),
    [shows, stretch],
  );
  return (
    <div className="relative h-full">
      <PictureViewer
        pool={session.pool}
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
