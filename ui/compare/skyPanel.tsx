"use client";

import { Eye, EyeOff, Plus, RotateCcw } from "lucide-react";
import { useEffect, useEffectEvent, useState } from "react";
import type { SkyReadout } from "@/core/chain";
import { isStretched } from "@/core/chain";
import type { ChosenPatches, PatchesField } from "@/core/parameters";
import { MOST_PATCHES } from "@/core/parameters";
import { PRIORITY } from "@/engine/pool";
import type { Board, Lane, LaneStep, StackRecord } from "@/storage";
import { hasHalves } from "@/storage";
import { useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";
import { IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { fixed, levelUnit } from "../kit/format";
import { openPlaced, useDesk, useDeskStore } from "./desk";
import { useSkyPatches } from "./useSkyPatches";
import { useLaneTreatment } from "./useTreatment";

interface Props {
  board: Board;
  lane: Lane;
  step: LaneStep;
  index: number;
  field: PatchesField & { name: string };
  onChange: (value: ChosenPatches | null) => void;
}

/** Where a step takes its noise from; beneath, while its patches are shown, the noise in them before and after it. */
export function SkyPanel({ board, lane, step, index, field, onChange: setSky }: Props) {
  const desk = useDeskStore();
  const isOpen = useDesk(({ placed }) => placed?.stepId === step.id && placed.field === field.name);
  const { stack } = useLaneTreatment(lane);
  const { patches } = useSkyPatches(lane, step);
  const own = step.params[field.name] as ChosenPatches | null;
  const open = () => openPlaced(desk, { stepId: step.id, field: field.name });
  // Chosen before any were found: as soon as they are.
  const [isWaiting, setWaiting] = useState(false);
  const choose = useEffectEvent(() => setSky({ patches, forNoise: true }));
  const isThere = isWaiting && !own?.forNoise && patches.length > 0;
  useEffect(() => {
    if (isThere) choose();
  }, [isThere]);
  return (
    <>
      <div className="flex items-center gap-1.5 py-1" data-setting={field.name}>
        <span className="flex-1 text-quiet">{field.label}</span>
        <Choice
          label="Where the noise is told from"
          help={field.hint}
          value={own?.forNoise || isWaiting ? "patches" : "halves"}
          options={[
            { value: "halves", label: stack && !hasHalves(stack) ? "finest detail" : "the halves" },
            { value: "patches", label: "sky patches" },
          ]}
          onChange={(from) => {
            setWaiting(from === "patches" && patches.length === 0);
            if (from === "halves") return setSky(own && { ...own, forNoise: false });
            if (patches.length > 0) setSky({ patches, forNoise: true });
            open();
          }}
        />
        <IconButton
          label={isOpen ? "Hide the sky patches" : "Show the sky patches and the noise in them"}
          help="Shows the sky patches on all crops, and the noise in them before and after the step"
          onClick={() => (isOpen ? openPlaced(desk, null) : open())}
        >
          {isOpen ? <EyeOff size={14} /> : <Eye size={14} />}
        </IconButton>
      </div>
      {isOpen && stack ? (
        <div className="mb-1 rounded bg-page p-1.5 text-sm" data-testid="sky-panel">
          <div className="flex items-center gap-1 text-quiet">
            <span className="flex-1">
              {own ? `${patches.length} sky patches` : `${patches.length} sky patches, as found`}
            </span>
            <IconButton
              label="Add a sky patch in the middle of the first spot"
              disabled={board.spots.length === 0 || patches.length >= MOST_PATCHES}
              onClick={() => {
                const { x, y } = board.spots[0];
                const { panX, panY } = board.view;
                const added = { id: crypto.randomUUID(), x: x + panX, y: y + panY, side: patches[0]?.side ?? 48 };
                setSky({ patches: [...patches, added], forNoise: own?.forNoise ?? false });
              }}
            >
              <Plus size={14} />
            </IconButton>
            <IconButton
              label="Patches as they are found: star-free, flat and dark"
              disabled={!own}
              onClick={() => {
                setWaiting(false);
                setSky(null);
              }}
            >
              <RotateCcw size={14} />
            </IconButton>
          </div>
          <Readout lane={lane} index={index} stack={stack} />
        </div>
      ) : null}
    </>
  );
}

const CHANNEL_NAMES = ["R", "G", "B"];
const SCALES_PX = [1, 2, 4, 8, 16];

/** Noise in the patches: σ before and after, what is left of each scale; and how the noise that the step takes for true grows with the light. */
function Readout({ lane, index, stack }: { lane: Lane; index: number; stack: StackRecord }) {
  const { readout, isStale } = useReadout(lane, index);
  if (!readout) return <p className="text-quiet">measuring …</p>;
  const stretched = isStretched(lane.steps.slice(0, index));
  const { unit, scale, digits } = stretched ? { unit: "of white", scale: 1, digits: 4 } : levelUnit(stack.facts.unit);
  const { rows, noise } = readout;
  const name = ({ of, channel }: (typeof rows)[number]) =>
    of === "luminance"
      ? "light"
      : of === "chrominance"
        ? "colour"
        : rows.length === 1
          ? "σ"
          : (CHANNEL_NAMES[channel] ?? `${channel + 1}`);
  const line = (label: string, title: string, valueOf: (row: (typeof rows)[number]) => string) => (
    <tr key={label} title={title}>
      <th className="pr-1 text-left font-normal whitespace-nowrap text-quiet">{label}</th>
      {rows.map((row) => (
        <td key={name(row)} className="pl-1 text-right">
          {valueOf(row)}
        </td>
      ))}
    </tr>
  );
  return (
    <div className={isStale ? "opacity-40" : ""}>
      <table className="figures w-full text-xs">
        <thead>
          <tr>
            <th className="text-left font-normal text-quiet">{unit}</th>
            {rows.map((row) => (
              <th key={name(row)} className="pl-1 text-right font-normal text-quiet">
                {name(row)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {line("before", "σ in the patches before the step, all detail up to 32 px", ({ before }) =>
            fixed(before.sigma * scale, digits),
          )}
          {line("after", "σ in the patches after the step, all detail up to 32 px", ({ after }) =>
            fixed(after.sigma * scale, digits),
          )}
          <tr>
            <th colSpan={rows.length + 1} className="pt-1 text-left font-normal text-quiet">
              left of detail by its size, %
            </th>
          </tr>
          {SCALES_PX.map((px, j) =>
            line(`${px} px`, `What is left of detail of about ${px} px, in %`, ({ before, after }) =>
              before.scales[j] > 0 ? String(Math.round((100 * after.scales[j]) / before.scales[j])) : "–",
            ),
          )}
        </tbody>
      </table>
      {noise ? <NoiseWords noise={noise} scale={scale} digits={digits} unit={unit} /> : null}
    </div>
  );
}

const FROM_WORDS = { halves: "the halves", picture: "the finest detail", patches: "the sky patches" };

interface NoiseWordsProps {
  noise: NonNullable<SkyReadout["noise"]>;
  scale: number;
  digits: number;
  unit: string;
}

function NoiseWords({ noise, scale, digits, unit }: NoiseWordsProps) {
  const { sigma, doubles, from } = noise;
  const list = (values: (number | null)[]) =>
    values.map((v) => (v === null ? "–" : fixed(v * scale, digits))).join(" · ");
  return (
    <p className="mt-1 text-xs text-quiet" data-testid="noise-model">
      The step takes from {FROM_WORDS[from]}: σ {list(sigma)} {unit} in the dark
      {doubles.some((v) => v !== null)
        ? `; ${list(doubles)} ${unit} of light double the variance`
        : ", the same in the light"}
      .
    </p>
  );
}

/** How long settings must rest before the patches are read. */
const REST_MS = 300;

/** The readout of a step's patches; stale while that of other settings stands there. */
function useReadout(lane: Lane, index: number): { readout: SkyReadout | null; isStale: boolean } {
  const session = useSession();
  const { treatment, settling } = useLaneTreatment(lane);
  const { onStack } = useSkyPatches(lane, lane.steps[index]);
  const question =
    treatment && !settling && onStack.length > 0
      ? [treatment.picture.id, treatment.steps.slice(0, index + 1), treatment.facts.slice(0, index + 1), onStack]
      : null;
  const { value, isCurrent } = useAnswer(question, REST_MS, async (_, signal): Promise<SkyReadout | null> => {
    if (!treatment) return null;
    const payload = { treatment, index, patches: onStack };
    return session.pool.run("skyReadout", payload, { priority: PRIORITY.measure, signal });
  });
  return { readout: value, isStale: !isCurrent };
}
