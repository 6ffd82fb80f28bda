"use client";

import { extent, median } from "d3-array";
import type { ReactNode } from "react";
import { useMemo, useState } from "react";
import { resamplingCost } from "@/core/register";
import type { StackSettings } from "@/core/stack";
import { stackParameters, stackSettings } from "@/core/stack";
import { exposureOf } from "@/state/lights";
import { nextStackName, referenceOf } from "@/state/selectors";
import type { StackInWork, SubRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Choice } from "../kit/choice";
import { duration, fixed } from "../kit/format";
import { InlineParameter } from "../kit/parameterSetting";
import { Tick } from "../kit/tick";
import { useGrades } from "../subs/grades";
import { BringIn } from "./bringIn";
import { Interrupted, Unsaved } from "./interrupted";
import { LightsFirst } from "./lightsFirst";
import { StackAction } from "./stackAction";

/** How the next stack is made, in sentences. */
export function SettingsColumn() {
  const session = useSession();
  const proposedName = useProject(nextStackName);
  const asked = useProject((state) => state.project.referenceId);
  const [settings, setSettings] = useState<StackSettings>(() => stackSettings.parse({}));
  const [name, setName] = useState("");
  const { lights, verdicts, sets } = useGrades();
  const [setKey, setSetKey] = useState("all");
  const only = sets.find(({ key }) => key === setKey);
  const inSet = new Set(only?.frames.map(({ id }) => id));
  const included = lights.filter(({ id }) => verdicts.get(id)?.included && (!only || inSet.has(id)));
  const plan = useProject((state) => state.project.calibration);
  const [use, setUse] = useState(plan.use);
  const referenceId = included.some(({ id }) => id === asked) ? asked : null;
  const reference = useProject(referenceOf);
  const proposed = included.find(({ id }) => id === reference?.id) ?? null;
  const isVideo = included.some(({ video }) => video !== null);
  const exposedS = timeOf(included);
  const [byFilter, setByFilter] = useState(false);
  const filters = [...new Set(included.flatMap(({ metadata }) => metadata.filter ?? []))];
  /** What the settings ask for: one stack, or one for each filter on the pixels of the reference. */
  const runs = (): StackInWork[] => {
    const base = name.trim() || proposedName;
    const run = { settings: { ...settings, referenceId }, plan: { ...plan, use } };
    if (!byFilter || filters.length < 2) return [{ ...run, name: base, only: only ? [...inSet] : null, gridId: null }];
    const gridId = referenceId ?? proposed?.id ?? null;
    return filters.map((filter) => ({
      ...run,
      name: `${base} ${filter}`.slice(0, 80),
      only: included.filter(({ metadata }) => metadata.filter === filter).map(({ id }) => id),
      gridId,
    }));
  };
  return (
    <aside
      className="flex w-72 shrink-0 flex-col border-r border-line bg-panel"
      aria-label="Settings of the next stack"
    >
      <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-auto p-3" tabIndex={0} data-testid="stack-settings">
        <Interrupted />
        <Unsaved />
        <LightsFirst lights={included} />
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
        <MasterTicks use={use} onChange={setUse} />
        <ReferenceChoice {...{ referenceId, proposed, included }} />
        <StackSentences
          settings={settings}
          onChange={(part) => setSettings((before) => ({ ...before, ...part }))}
          included={included}
        />
      </div>
      <div className="flex max-h-[60%] shrink-0 flex-col gap-2 overflow-auto border-t border-line p-3">
        <StackName name={name} proposed={proposedName} onChange={setName} />
        {filters.length > 1 ? (
          <Tick
            help="All of them on the pixels of one reference, so that they can be joined into colour"
            checked={byFilter}
            onChange={setByFilter}
          >
            One stack for each of {filters.length} filters
          </Tick>
        ) : null}
        <StackAction
          disabled={included.length === 0}
          onMake={() => {
            session.stacks.queue.add(runs());
            setName("");
            void session.stacks.queue.work();
          }}
          onPrepare={() => {
            session.stacks.queue.add(runs());
            setName("");
          }}
        />
        <BringIn />
      </div>
    </aside>
  );
}

function StackName({ name, proposed, onChange }: { name: string; proposed: string; onChange: (name: string) => void }) {
  return (
    <label className="flex items-center gap-2 text-quiet">
      Call it
      <input
        aria-label="Name of the stack"
        className="min-w-0 flex-1 rounded border border-line bg-page px-1.5 py-0.5 text-text"
        placeholder={proposed}
        maxLength={80}
        value={name}
        onChange={(event) => onChange(event.target.value)}
      />
    </label>
  );
}

/** The sub to which the others are matched: a chosen one, or the best. */
function ReferenceChoice({
  referenceId,
  proposed,
  included,
}: {
  referenceId: string | null;
  proposed: SubRecord | null;
  included: readonly SubRecord[];
}) {
  const session = useSession();
  return (
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
  );
}

/** How subs are registered, weighted, cleaned of outliers and combined, as sentences. */
function StackSentences({
  settings,
  onChange,
  included,
}: {
  settings: StackSettings;
  onChange: (part: Partial<StackSettings>) => void;
  included: readonly SubRecord[];
}) {
  const fwhmPx = median(included, ({ measures }) => measures?.fwhmPx ?? undefined);
  const limit = settings.fwhmLimit > 0 && fwhmPx ? settings.fwhmLimit * fwhmPx : Infinity;
  const wide = included.filter(({ measures }) => (measures?.fwhmPx ?? 0) > limit).length;
  const inline = (name: keyof typeof stackParameters.defaults) => (
    <InlineParameter of={stackParameters} name={name} values={settings} onChange={onChange} />
  );
  return (
    <>
      <Sentence label="Allow">{inline("transform")}</Sentence>
      <Sentence label="Resample with">
        {inline("resampling")}
        {fwhmPx ? <CostOfResampling kernel={settings.resampling} fwhmPx={fwhmPx} /> : null}
      </Sentence>
      <Sentence label="Normalise">
        {inline("normalise")}
        {settings.normalise === "local" ? (
          <span className="flex items-center gap-2 text-quiet">in patches of {inline("patchPx")} px</span>
        ) : null}
      </Sentence>
      <Sentence label="Weight subs">{inline("weights")}</Sentence>
      <Sentence label="Reject">{inline("reject")}</Sentence>
      <RejectionLimits reject={settings.reject} inline={inline} />
      {inline("keepTrails")}
      {new Set(included.map(({ metadata }) => metadata.exposureS)).size > 1 ? inline("keepCores") : null}
      <Sentence label="Combine what is left as">{inline("combine")}</Sentence>
      <Sentence label="Drizzle">
        {inline("drizzle")}
        {settings.drizzle === "no" ? null : (
          <span className="flex items-center gap-2 text-quiet">in drops of {inline("drop")} px</span>
        )}
      </Sentence>
      <div className="flex items-center gap-2 text-quiet">Cut to a coverage of {inline("leastCoverage")}</div>
      <Sentence label="Keep">
        {inline("keepBy")}
        {settings.keepBy === "all" ? null : (
          <span className="flex items-center gap-2 text-quiet">as a share {inline("keepShare")}</span>
        )}
      </Sentence>
      <div className="flex items-center gap-2 text-quiet">
        <span>
          Leave out subs wider than {inline("fwhmLimit")} × the median FWHM
          {wide > 0 ? <span data-testid="too-wide">: {wide} of these</span> : null}
        </span>
      </div>
      {inline("keepDoubles")}
      {inline("mixFilters")}
      <div className="flex items-center gap-2 text-quiet">Use at most {inline("memoryMiB")} MB</div>
    </>
  );
}

type MasterUse = Record<"dark" | "flat" | "bias", boolean>;

/** Which kinds of masters the stack's subs go through. */
function MasterTicks({ use, onChange }: { use: MasterUse; onChange: (use: MasterUse) => void }) {
  const masters = useProject((state) => state.masters);
  const kinds = (["dark", "flat", "bias"] as const).filter((kind) => masters.some((master) => master.kind === kind));
  if (kinds.length === 0) return null;
  return (
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
          onChange={(checked) => onChange({ ...use, [kind]: checked })}
        >
          {{ dark: "darks", flat: "flats", bias: "bias" }[kind]}
        </Tick>
      ))}
    </div>
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

/** What the chosen kernel does to stars of the median sub, and to noise. */
function CostOfResampling({ kernel, fwhmPx }: { kernel: StackSettings["resampling"]; fwhmPx: number }) {
  const { widening, noise, shared } = useMemo(() => resamplingCost(kernel, fwhmPx), [kernel, fwhmPx]);
  return (
    <span
      className="figures text-quiet"
      data-help="For subs that lie anywhere between the pixels of the reference"
      data-testid="cost-of-resampling"
    >
      FWHM {fixed(fwhmPx, 2)} → {fixed(fwhmPx * widening, 2)} px, noise × {fixed(noise, 2)}, neighbours alike by{" "}
      {fixed(100 * shared, 0)} %
    </span>
  );
}

function Sentence({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="text-quiet">{label}</span>
      {children}
    </div>
  );
}
