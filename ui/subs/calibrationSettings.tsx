"use client";

import { calibrationParameters } from "@/core/calibrate";
import { CFA_PATTERNS } from "@/core/formats";
import type { CalibrationPlan } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Choice } from "../kit/choice";
import { InlineParameter } from "../kit/parameterSetting";
import { NumberField } from "../kit/setting";
import { Tick } from "../kit/tick";

/** How lights are calibrated, in sentences. */
export function CalibrationSettings() {
  const session = useSession();
  const plan = useProject((state) => state.project.calibration);
  const change = (part: Partial<CalibrationPlan["settings"]>) =>
    session.saveProject({ calibration: { ...plan, settings: { ...plan.settings, ...part } } });
  const inline = (name: keyof typeof calibrationParameters.defaults) => (
    <InlineParameter of={calibrationParameters} name={name} values={plan.settings} onChange={change} />
  );
  return (
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
      <Tolerances />
    </section>
  );
}

/** How alike masters and lights must be. */
function Tolerances() {
  const session = useSession();
  const plan = useProject((state) => state.project.calibration);
  return (
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
  );
}
