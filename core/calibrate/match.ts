import * as z from "zod";
import type { CfaPattern, FrameType, FrameUnit } from "../formats";
import { UNIT_LABELS, factorBetween } from "../formats";

/** What matching needs to know of a frame or of a master. */
export interface MatchedFrame {
  id: string;
  name: string;
  type: FrameType;
  width: number;
  height: number;
  channels: number;
  binning: number | null;
  gain: number | null;
  offset: number | null;
  exposureS: number | null;
  temperatureC: number | null;
  filter: string | null;
  cfa: CfaPattern | null;
  instrument: string | null;
  /** What its samples are; null where it was not looked at. */
  unit: FrameUnit | null;
}

/** How far values may lie apart and still count as the same. */
export const tolerances = z.object({
  temperatureC: z.number().min(0).max(50).default(2),
  /** Share of the longer exposure. */
  exposure: z.number().min(0).max(1).default(0.02),
  gain: z.number().min(0).max(1000).default(0),
  offset: z.number().min(0).max(1000).default(0),
});
export type Tolerances = z.infer<typeof tolerances>;

/** A difference that matters, in plain words: what it is and what it will do to the picture. */
export interface Mismatch {
  /** Whether the master cannot be used at all. */
  blocks: boolean;
  text: string;
  /** The kind of which there is no master at all. */
  lacks?: MasterKind;
}

export type MasterKind = "bias" | "dark" | "flat" | "darkflat";

/** Frames that one master can be made of, or that are calibrated alike. */
export interface FrameGroup {
  type: FrameType;
  frames: MatchedFrame[];
}

const near = (a: number | null, b: number | null, tolerance: number): boolean =>
  a === null || b === null ? a === b : Math.abs(a - b) <= tolerance + 1e-9;

const nearExposure = (a: number | null, b: number | null, share: number): boolean =>
  a === null || b === null ? a === b : Math.abs(a - b) <= share * Math.max(a, b) + 1e-9;

/** Properties that must agree for frames to be of one group, by type: exposure says nothing of a bias, temperature little of a flat. */
function alike(a: MatchedFrame, b: MatchedFrame, tolerance: Tolerances): boolean {
  return (
    a.type === b.type &&
    a.width === b.width &&
    a.height === b.height &&
    a.channels === b.channels &&
    a.cfa === b.cfa &&
    near(a.binning, b.binning, 0) &&
    near(a.gain, b.gain, tolerance.gain) &&
    near(a.offset, b.offset, tolerance.offset) &&
    (a.type === "bias" || a.type === "flat" || nearExposure(a.exposureS, b.exposureS, tolerance.exposure)) &&
    (a.type === "flat" || a.type === "bias" || near(a.temperatureC, b.temperatureC, tolerance.temperatureC)) &&
    (a.type === "dark" || a.type === "bias" || a.type === "darkflat" || a.filter === b.filter) &&
    (a.type !== "light" || a.instrument === b.instrument)
  );
}

/** Frames as groups of the same kind, size, binning, gain, offset, exposure, temperature and filter, in the order they come. */
export function groupFrames(frames: MatchedFrame[], tolerance: Tolerances): FrameGroup[] {
  const groups: FrameGroup[] = [];
  for (const frame of frames) {
    const known = groups.find((group) => alike(group.frames[0], frame, tolerance));
    if (known) known.frames.push(frame);
    else groups.push({ type: frame.type, frames: [frame] });
  }
  return groups;
}

const plural = (kind: MasterKind): string =>
  ({ bias: "bias frames", dark: "darks", flat: "flats", darkflat: "dark-flats" })[kind];
const degrees = (value: number): string => `${Math.round(value * 10) / 10} °C`;
const seconds = (value: number): string => `${Math.round(value * 1000) / 1000} s`;

/**
 * Every way in which a master does not fit what it is for, with what it will do; none for a perfect fit. `of` is a light, or a
 * flat when a dark-flat, dark or bias is taken off it.
 */
export function mismatchesOf(
  kind: MasterKind,
  master: MatchedFrame,
  of: MatchedFrame,
  tolerance: Tolerances,
  scaleDark = false,
): Mismatch[] {
  const out: Mismatch[] = [];
  const what = plural(kind);
  const target = of.type === "flat" ? "flats" : "lights";
  if (master.width !== of.width || master.height !== of.height || master.channels !== of.channels)
    out.push({
      blocks: true,
      text: `${what} are ${master.width}×${master.height} px, the ${target} ${of.width}×${of.height}: they cannot be used`,
    });
  // A flat is divided by its own mean: its unit does not matter.
  if (kind !== "flat" && master.unit && of.unit && master.unit.name !== of.unit.name) {
    const known = factorBetween(master.unit, of.unit) !== null;
    const guessed = [master.unit, of.unit].some(({ from }) => from.name.startsWith("range"));
    const are = `${what} are in ${UNIT_LABELS[master.unit.name]}, the ${target} in ${UNIT_LABELS[of.unit.name]}`;
    if (!known) out.push({ blocks: true, text: `${are}: without the gain (e⁻ per ADU) they cannot be used` });
    else if (guessed) out.push({ blocks: false, text: `${are}, by the range of the data: they are brought together` });
  }
  if (master.cfa !== null && of.cfa !== null && master.cfa !== of.cfa)
    out.push({
      blocks: false,
      text: `${what} have the pattern ${master.cfa}, the ${target} ${of.cfa}: one of them is wrong; colours may be exchanged`,
    });
  if (master.binning !== null && of.binning !== null && master.binning !== of.binning)
    out.push({
      blocks: false,
      text: `${what} are binned ${master.binning}×${master.binning}, the ${target} ${of.binning}×${of.binning}: levels do not agree`,
    });
  const setting = (name: "gain" | "offset", effect: string): void => {
    const own = master[name];
    const wanted = of[name];
    if (own === null || wanted === null || near(own, wanted, tolerance[name])) return;
    out.push({ blocks: false, text: `${what} have ${name} ${own}, the ${target} ${wanted}: ${effect}` });
  };
  if (kind !== "flat") {
    setting("gain", "too much or too little is taken off");
    setting("offset", "a constant level is left or missing, and flats are then divided out wrongly");
  }
  if (
    (kind === "dark" || kind === "darkflat") &&
    !nearExposure(master.exposureS, of.exposureS, tolerance.exposure) &&
    master.exposureS !== null &&
    of.exposureS !== null
  ) {
    const longer = master.exposureS > of.exposureS;
    out.push({
      blocks: false,
      text:
        scaleDark && kind === "dark"
          ? `${what} are ${seconds(master.exposureS)} long, the ${target} ${seconds(of.exposureS)}: they are scaled by ${(of.exposureS / master.exposureS).toFixed(3)}`
          : `${what} are ${seconds(master.exposureS)} long, the ${target} ${seconds(of.exposureS)}: ${longer ? "too much" : "too little"} dark current is taken off`,
    });
  }
  if ((kind === "dark" || kind === "darkflat") && master.temperatureC !== null && of.temperatureC !== null) {
    const difference = master.temperatureC - of.temperatureC;
    if (Math.abs(difference) > tolerance.temperatureC + 1e-9)
      out.push({
        blocks: false,
        text: `${what} are ${degrees(Math.abs(difference))} ${difference > 0 ? "warmer" : "colder"} than the ${target}: about ${(2 ** (Math.abs(difference) / 6)).toFixed(1)} times ${difference > 0 ? "too much" : "too little"} dark current is taken off`,
      });
  }
  if (kind === "flat" && master.filter !== null && of.filter !== null && master.filter !== of.filter)
    out.push({
      blocks: false,
      text: `flats are of filter ${master.filter}, the lights of ${of.filter}: dust shadows may differ`,
    });
  return out;
}

/** What the picture keeps when there is no master of a kind. */
export const WITHOUT: Record<MasterKind, string> = {
  bias: "no bias frames: none needed while darks of the lights' exposure are there",
  dark: "no darks: dark current, hot pixels and amplifier glow stay in the picture",
  flat: "no flats: vignetting and dust shadows stay in the picture",
  darkflat: "no dark-flats: flats are corrected by the bias, or not at all",
};

export interface MasterChoice {
  id: string | null;
  mismatches: Mismatch[];
}

/**
 * The best master of a kind for a frame: of those that can be used the one with the fewest mismatches, then the nearest in
 * temperature and exposure. Null with the reason where there is none.
 */
export function chooseMaster(
  kind: MasterKind,
  masters: MatchedFrame[],
  of: MatchedFrame,
  tolerance: Tolerances,
  scaleDark = false,
): MasterChoice {
  const ranked = masters
    .filter(({ type }) => type === kind)
    .map((master) => ({ master, mismatches: mismatchesOf(kind, master, of, tolerance, scaleDark) }))
    .sort((a, b) => {
      const blocked = Number(a.mismatches.some((m) => m.blocks)) - Number(b.mismatches.some((m) => m.blocks));
      const far = (master: MatchedFrame): number =>
        Math.abs((master.temperatureC ?? 0) - (of.temperatureC ?? 0)) +
        10 * Math.abs(Math.log(Math.max(1e-3, master.exposureS ?? 1) / Math.max(1e-3, of.exposureS ?? 1)));
      return blocked || a.mismatches.length - b.mismatches.length || far(a.master) - far(b.master);
    });
  const best = ranked[0];
  if (!best) return { id: null, mismatches: [{ blocks: false, text: WITHOUT[kind], lacks: kind }] };
  const usable = !best.mismatches.some((m) => m.blocks);
  return { id: usable ? best.master.id : null, mismatches: best.mismatches };
}
