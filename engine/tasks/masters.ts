import type { MasterSettings } from "@/core/calibrate";
import { frameMeans, makeMaster, makeMasterFlat, scaleOfCalibration } from "@/core/calibrate";
import { CREATOR } from "@/core/version";
import { wholeRegion } from "@/core/raster";
import type { CfaPattern, FitsCard, FrameType, FrameUnit } from "@/core/formats";
import { asRead, binnedBy, keptHeader, unitCards, unitOfSamples, writeFits } from "@/core/formats";
import type { FrameRef } from "../frames";
import type { Task } from "./task";

export interface MasterPayload {
  kind: Exclude<FrameType, "light">;
  frames: FrameRef[];
  /** Taken off flats: a master dark-flat, dark or bias. */
  offset: FrameRef | null;
  pattern: CfaPattern | null;
  settings: MasterSettings;
  /** Further cards of the file. */
  cards: FitsCard[];
}

export interface MasterResult {
  /** A float FITS file. */
  file: Uint8Array;
  width: number;
  height: number;
  channels: number;
  /** Mean for each place of the CFA cell, or for each channel. */
  means: number[];
  /** What the samples of the file are. */
  unit: FrameUnit;
}

/** Combines frames into a master. */
export const master: Task<MasterPayload, MasterResult> = {
  owned: async (payload, context) => {
    const { kind, frames, offset, pattern, settings, cards } = payload;
    const own = await context.frames.unit(frames[0]);
    const unit = unitOfSamples(own);
    const sources = [];
    for (const frame of frames) sources.push(await context.frames.openIn(frame, own, "frame"));
    const raster =
      kind === "flat"
        ? await makeMasterFlat(
            sources,
            offset && (await context.frames.openIn(offset, own, "frame that is taken off")),
            pattern,
            settings,
            context.job,
          )
        : await makeMaster(sources, settings, context.job);
    const { width, height, channels } = raster;
    const file = writeFits(
      {
        width,
        height,
        channels,
        sample: "float32",
        cards: [
          ["CREATOR", CREATOR],
          ["IMAGETYP", `master ${kind}`],
          ["NCOMBINE", frames.length, "frames combined"],
          // A flat is relative: its mean is 1.
          ...(kind === "flat" ? [] : unitCards(unit)),
          ...cards,
        ],
        history: [
          `master ${kind} of ${frames.length} frames by ${settings.by}, outliers beyond ${settings.lowSigma} / ${settings.highSigma} sigma left out`,
          ...frames.map(({ name }) => name),
          ...(offset ? [`less ${offset.name}`] : []),
        ],
      },
      raster.planes,
    );
    return { file, width, height, channels, means: frameMeans(raster, pattern), unit };
  },
};

/** Hot and cold pixels of a master dark, by index. */
export const defects: Task<
  { dark: FrameRef; pattern: CfaPattern | null; kSigma: number },
  { hot: Uint32Array; cold: Uint32Array; width: number; height: number }
> = {
  owned: async ({ dark, pattern, kSigma }, context) => {
    const { width, height } = await context.frames.open(dark);
    const { hot, cold } = await context.frames.defects(dark, pattern, kSigma);
    return { hot: hot.slice(), cold: cold.slice(), width, height };
  },
};

/** A light with its calibration as a float FITS file; its cards come along, how it was made is in its history. */
export const calibrateLight: Task<{ frame: FrameRef }, Uint8Array> = {
  owned: async ({ frame }, context) => {
    const { calibration } = frame;
    if (!calibration) throw new RangeError("a light to calibrate needs a calibration");
    const picture = await context.frames.picture(frame);
    const source = await context.frames.open(frame);
    const raster = await source.read(wholeRegion(source));
    const { settings, bias, dark, flat, darkScale, pattern } = calibration;
    const { width, height, channels } = raster;
    const step = scaleOfCalibration(settings, pattern);
    const binning = (picture.metadata.binning ?? 1) * step;
    const { moved, set, ...rest } = asRead(picture);
    const colour = pattern !== null && settings.demosaic !== "none";
    const { cards, history } = keptHeader({
      ...rest,
      moved: step === 1 ? moved : [...moved, binnedBy(step)],
      unit: unitOfSamples(await context.frames.unit(frame)),
      demosaiced: colour,
      set: [
        ["IMAGETYP", "light", "calibrated"],
        ["XBINNING", binning, "sensor pixels along an axis"],
        ["YBINNING", binning],
        ...(colour ? [] : set),
        ...(pattern !== null && !colour ? ([["BAYERPAT", pattern]] as FitsCard[]) : []),
      ],
    });
    const recipe = [
      `calibrated: ${CREATOR}`,
      `bias ${bias?.name ?? "none"}, dark ${dark?.name ?? "none"}${settings.scaleDark ? ` times ${darkScale}` : ""}, flat ${flat?.name ?? "none"}`,
      JSON.stringify(settings),
    ];
    return writeFits(
      { width, height, channels, sample: "float32", cards, history: [...history, ...recipe] },
      raster.planes,
    );
  },
};
