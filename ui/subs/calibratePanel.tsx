"use client";

import { Trash2 } from "lucide-react";
import { useMemo, useState } from "react";
import { calibrationParameters } from "@/core/calibrate";
import { CFA_PATTERNS } from "@/core/formats";
import { failureOf } from "@/engine/protocol";
import { groupCalibrationFrames, groupLabel, groupLights, needsCalibration } from "@/state/calibration";
import type { CalibrationPlan, MasterRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { duration } from "../kit/format";
import { InlineParameter } from "../kit/parameterSetting";
import { NumberField } from "../kit/setting";
import { Tick } from "../kit/tick";
import { useStaleLights } from "./useStaleLights";
import { TYPE_LABELS } from "./headerPanel";

export interface DefectMap {
  hot: Uint32Array;
  cold: Uint32Array;
  width: number;
  height: number;
  masterId: string;
}

interface Props {
  map: DefectMap | null;
  onMap: (map: DefectMap | null) => void;
}

/** Masters, which lights go through which, what does not fit and what that does, and how lights are calibrated. */
export function CalibratePanel({ map, onMap }: Props) {
  const session = useSession();
  const subs = useProject((state) => state.subs);
  const masters = useProject((state) => state.masters);
  const plan = useProject((state) => state.project.calibration);
  const [error, setError] = useState<string | null>(null);
  const taken = useMemo(() => new Set(masters.flatMap(({ frames }) => frames)), [masters]);
  const waiting = useMemo(
    () =>
      groupCalibrationFrames(
        subs.filter(({ id }) => !taken.has(id)),
        plan,
      ),
    [subs, taken, plan],
  );
  const groups = useMemo(() => groupLights(subs, masters, plan), [subs, masters, plan]);
  const stale = useStaleLights().length;
  const change = (part: Partial<CalibrationPlan["settings"]>) =>
    session.saveProject({ calibration: { ...plan, settings: { ...plan.settings, ...part } } });
  const inline = (name: keyof typeof calibrationParameters.defaults) => (
    <InlineParameter of={calibrationParameters} name={name} values={plan.settings} onChange={change} />
  );
  /** "the dark" where there is but one, else its name. */
  const name = (id: string | null) => {
    const master = masters.find((own) => own.id === id);
    if (!master) return null;
    return masters.filter(({ kind }) => kind === master.kind).length === 1
      ? `the ${TYPE_LABELS[master.kind]}`
      : master.name;
  };

  const showMap = async (master: MasterRecord) => {
    if (map?.masterId === master.id) return onMap(null);
    try {
      const found = await session.pool.run("defects", {
        dark: await session.files.master(master),
        pattern: plan.settings.pattern ?? master.metadata.cfa,
        kSigma: plan.settings.hotSigma || 5,
      });
      setError(null);
      onMap({ ...found, masterId: master.id });
    } catch (reason) {
      setError(failureOf(reason).message);
    }
  };

  return (
    <div className="min-h-0 flex-1 space-y-3 overflow-auto p-3" data-testid="calibrate-panel">
      {error ? <p className="text-warn">{error}</p> : null}
      {waiting.length > 0 ? (
        <section>
          <h3 className="mb-1 text-quiet">Frames without a master</h3>
          <ul className="mb-2 space-y-0.5">
            {waiting.map(({ type, frames }) => (
              <li key={frames[0].id} className="flex items-center gap-2">
                <span className="min-w-0 flex-1 truncate">
                  <span className="figures">{frames.length}</span> {TYPE_LABELS[type]} frames{" "}
                  <span className="text-quiet">{groupLabel(frames[0])}</span>
                </span>
                <Button
                  kind="quiet"
                  help="Shows these frames one by one"
                  onClick={() => session.subs.select(frames[0].id)}
                >
                  Look
                </Button>
              </li>
            ))}
          </ul>
          <Button
            kind="primary"
            help="Averages each group, outliers left out; flats over their own mean for each colour"
            onClick={() => void session.calibration.makeMasters()}
          >
            Make {waiting.length === 1 ? "the master" : `${waiting.length} masters`}
          </Button>
        </section>
      ) : null}
      <section>
        <h3 className="mb-1 text-quiet">Masters</h3>
        {masters.length === 0 ? (
          <p className="text-quiet">
            None yet. Bring in bias, dark and flat frames as they left the camera; their cards tell which is which.
          </p>
        ) : null}
        <ul className="space-y-1">
          {masters.map((master) => (
            <li key={master.id} className="rounded border border-line bg-raised px-2 py-1">
              <div className="flex items-center gap-2">
                <span className="min-w-0 flex-1 truncate">{master.name}</span>
                {master.kind === "dark" ? (
                  <Button
                    kind="quiet"
                    help="Marks hot pixels (coral) and cold ones (blue) in the picture"
                    aria-pressed={map?.masterId === master.id}
                    onClick={() => void showMap(master)}
                  >
                    {map?.masterId === master.id
                      ? `${map.hot.length} hot, ${map.cold.length} cold · hide`
                      : "Show hot pixels"}
                  </Button>
                ) : null}
                {subs.some(({ id }) => id === master.frames[0]) ? (
                  <Button
                    kind="quiet"
                    help="Shows the frames that it was made of, one by one"
                    onClick={() => session.subs.select(master.frames[0])}
                  >
                    Look
                  </Button>
                ) : null}
                <IconButton
                  label={`Delete ${master.name}`}
                  onClick={() => void session.calibration.deleteMaster(master.id)}
                >
                  <Trash2 size={12} />
                </IconButton>
              </div>
              <div className="text-sm text-quiet">{master.recipe}</div>
              {master.warnings.map((text) => (
                <div key={text} className="text-sm text-warn">
                  {text}
                </div>
              ))}
            </li>
          ))}
        </ul>
      </section>
      <section>
        <h3 className="mb-1 text-quiet">Lights</h3>
        <ul className="space-y-1">
          {groups.map(({ label, subs: lights, plan: own }) => (
            <li key={lights[0].id} className="rounded border border-line px-2 py-1" data-testid="light-group">
              <div>
                <span className="figures">{lights.length}</span> lights,{" "}
                {duration(lights.reduce((sum, sub) => sum + (sub.metadata.exposureS ?? 0), 0))}{" "}
                <span className="text-quiet">{label}</span>
              </div>
              {needsCalibration(lights[0], own, plan.settings) || masters.length > 0 ? (
                <>
                  <div className="text-sm text-quiet">
                    less {name(own.dark) ?? name(own.bias) ?? "nothing"}
                    {own.dark && own.bias ? ` (scaled over ${name(own.bias)})` : ""}, over {name(own.flat) ?? "nothing"}
                  </div>
                  {own.mismatches.map(({ text }) => (
                    <div key={text} className="text-sm text-warn">
                      {text}
                    </div>
                  ))}
                </>
              ) : (
                <div className="text-sm text-quiet">used as they came</div>
              )}
            </li>
          ))}
        </ul>
      </section>
      <section className="space-y-1.5">
        <h3 className="text-quiet">How</h3>
        <div className="flex flex-wrap items-center gap-3">
          <span>Calibrate with</span>
          {(["dark", "bias", "flat"] as const).map((kind) => (
            <Tick
              key={kind}
              className="gap-1"
              checked={plan.use[kind]}
              onChange={(checked) =>
                session.saveProject({ calibration: { ...plan, use: { ...plan.use, [kind]: checked } } })
              }
            >
              {{ dark: "darks", bias: "bias", flat: "flats" }[kind]}
            </Tick>
          ))}
          {inline("scaleDark")}
        </div>
        <div className="flex flex-wrap items-center gap-2">
          Replace hot and cold pixels beyond {inline("hotSigma")} σ, found in {inline("hotFrom")}
        </div>
        <div className="flex flex-wrap items-center gap-2">
          Demosaic {inline("demosaic")}
          pattern
          <Choice
            label="Pattern"
            help="Colours of the filter array; a wrong one shows at once as false colours and a grid at 4:1"
            value={plan.settings.pattern ?? "cards"}
            options={[
              { value: "cards", label: "as the cards say" },
              ...CFA_PATTERNS.map((pattern) => ({ value: pattern as string, label: pattern })),
            ]}
            onChange={(pattern) =>
              change({ pattern: pattern === "cards" ? null : (pattern as (typeof CFA_PATTERNS)[number]) })
            }
          />
        </div>
        <div className="flex flex-wrap items-center gap-2">
          Bin {inline("bin")} × {plan.settings.bin} pixels by {inline("binBy")} and add {inline("pedestalAdu")} ADU
        </div>
        <div className="flex flex-wrap items-center gap-2 text-quiet">
          The same temperature within
          <NumberField
            label="Temperature tolerance"
            min={0}
            max={50}
            step={0.5}
            value={plan.tolerance.temperatureC}
            onChange={(temperatureC) =>
              session.saveProject({ calibration: { ...plan, tolerance: { ...plan.tolerance, temperatureC } } })
            }
          />
          °C, exposure within
          <NumberField
            label="Exposure tolerance"
            min={0}
            max={100}
            step={1}
            value={Math.round(plan.tolerance.exposure * 100)}
            onChange={(percent) =>
              session.saveProject({
                calibration: { ...plan, tolerance: { ...plan.tolerance, exposure: percent / 100 } },
              })
            }
          />
          %
        </div>
      </section>
      {stale > 0 ? (
        <div className="sticky bottom-0 bg-page py-2">
          <Button
            kind="primary"
            help="Reads every light through its masters and measures it anew; stacks are made through the same"
            onClick={() => void session.subs.measureAgain()}
          >
            Calibrate and measure {stale} {stale === 1 ? "light" : "lights"}
          </Button>
        </div>
      ) : null}
    </div>
  );
}
