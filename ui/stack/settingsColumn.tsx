"use client";

import { extent } from "d3-array";
import type { ReactNode } from "react";
import { useState } from "react";
import type { StackSettings } from "@/core/stack";
import { stackParameters, stackSettings } from "@/core/stack";
import { exposureOf } from "@/state/lights";
import { referenceOf } from "@/state/selectors";
import type { SubRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { duration } from "../kit/format";
import { ProgressLine } from "../kit/notice";
import { InlineParameter } from "../kit/parameterSetting";
import { Tick } from "../kit/tick";
import { download } from "../finish/download";
import { useGrades } from "../subs/grades";
import { BringIn } from "./bringIn";
import { useStacking } from "./useStacking";

/** How the next stack is made, in sentences. */
export function SettingsColumn() {
  const session = useSession();
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
  const reference = useProject(referenceOf);
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
      <Interrupted />
      <Unsaved />
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
      <Sentence label="Normalise">{inline("normalise")}</Sentence>
      <Sentence label="Weight subs">{inline("weights")}</Sentence>
      <Sentence label="Reject">{inline("reject")}</Sentence>
      <RejectionLimits reject={settings.reject} inline={inline} />
      {inline("keepTrails")}
      <Sentence label="Combine what is left as">{inline("combine")}</Sentence>
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
      <StackAction
        disabled={included.length === 0}
        onMake={() => {
          void session.stacks.make(
            name.trim() || `Stack ${stacks.length + 1}`,
            { ...settings, referenceId },
            { only: only ? inSet : undefined, plan: { ...plan, use } },
          );
          setName("");
        }}
      />
      <BringIn />
    </aside>
  );
}

/** The limits of the chosen rejection, as a part of a sentence. */
function RejectionLimits({
  reject,
  inline,
}: {
  reject: StackSettings["reject"];
  inline: (name: keyof typeof stackParameters.defaults) => ReactNode;
}) {
  const limits: Partial<Record<StackSettings["reject"], ReactNode>> = {
    none: null,
    percentile: (
      <>
        lowest {inline("lowShare")}, highest {inline("highShare")} of them
      </>
    ),
    minmax: (
      <>
        lowest {inline("lowCount")}, highest {inline("highCount")}
      </>
    ),
    esd: (
      <>
        at most {inline("mostOutliers")} of them, chance {inline("significance")}
      </>
    ),
  };
  const own =
    reject in limits ? (
      limits[reject]
    ) : (
      <>
        below {inline("lowSigma")} σ, above {inline("highSigma")} σ
      </>
    );
  return own ? <div className="flex items-center gap-2 pl-3 text-quiet">{own}</div> : null;
}

/** Exposure of all, in seconds; frames of a video without an exposure of their own have the time from the first to the last. */
function timeOf(subs: SubRecord[]): number {
  const exposedS = exposureOf(subs);
  const [first, last] = extent(subs, ({ timeMs }) => timeMs ?? undefined);
  return exposedS > 0 || first === undefined ? exposedS : (last - first) / 1000;
}

function Sentence({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="text-quiet">{label}</span>
      {children}
    </div>
  );
}

/** A stack that was interrupted when the page was closed: to go on with, or to forget. */
function Interrupted() {
  const session = useSession();
  const inWork = useProject((state) => state.project.stackInWork);
  const stacking = useStacking();
  if (!inWork || stacking) return null;
  return (
    <div role="status" className="space-y-2 border-l-2 border-accent bg-raised p-2" data-testid="interrupted">
      <p>“{inWork.name}” was interrupted when the page was closed. What was finished of it is kept.</p>
      <div className="flex gap-2">
        <Button help="Makes it from where it was interrupted" onClick={() => void session.stacks.goOn(inWork)}>
          Go on
        </Button>
        <Button kind="quiet" help="Forgets what was finished of it" onClick={() => session.stacks.giveUp()}>
          Give it up
        </Button>
      </div>
    </div>
  );
}

/** A stack that the browser's storage did not take: nothing of it is lost as long as the page is open. */
function Unsaved() {
  const session = useSession();
  const unsaved = useProject((state) => state.unsaved);
  if (!unsaved) return null;
  const { record, pictures, reason } = unsaved;
  const base = record.name.replace(/[^\p{L}\p{N}]+/gu, "-").toLowerCase();
  return (
    <div role="status" className="space-y-2 border-l-2 border-warn bg-raised p-2" data-testid="unsaved">
      <p>
        “{record.name}” is made, but could not be stored: {reason}. It is kept as long as this page is open.
      </p>
      <div className="flex flex-wrap gap-2">
        <Button
          help="The stack, its halves and its coverage as FITS files"
          onClick={() => {
            for (const [kind, blob] of Object.entries(pictures))
              download(`${base}${kind === "mean" ? "" : `.${kind}`}.fits`, blob);
          }}
        >
          Save as files
        </Button>
        <Button help="After room was made" onClick={() => void session.stacks.storeUnsaved()}>
          Store it again
        </Button>
        <Button kind="quiet" onClick={() => session.stacks.dropUnsaved()}>
          Let it go
        </Button>
      </div>
    </div>
  );
}

/** Makes the stack, or shows how far it is and stops it. */
function StackAction({ disabled, onMake }: { disabled: boolean; onMake: () => void }) {
  const stacking = useStacking();
  if (!stacking)
    return (
      <Button
        kind="primary"
        className="justify-center py-1.5"
        disabled={disabled}
        help="Registers, normalises, weights and combines the included subs"
        onClick={onMake}
      >
        Make the stack
      </Button>
    );
  return (
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
  );
}
