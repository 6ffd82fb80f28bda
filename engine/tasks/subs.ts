import type { CalibrationSettings } from "@/core/calibrate";
import { scaleOfCalibration } from "@/core/calibrate";
import type { Card, FormatId, FrameUnit, SubMetadata } from "@/core/formats";
import { pixelScaleOf, toSample, unpackToFits } from "@/core/formats";
import type { SkyPatch, ListedStar, SubMeasures, VideoMeasures } from "@/core/measure";
import {
  NO_MEASURES,
  measureBackground,
  measureSaturation,
  measureSub as measure,
  measureVideoFrame,
  patchLevels,
  skyOfVideoFrame,
  whiteNoise,
} from "@/core/measure";
import type { LevelsFact } from "@/core/facts";
import { levelsOf as stretchLevelsOf } from "@/core/facts";
import type { Raster } from "@/core/raster";
import { blankValue, median, wholeRegion, withoutBlank } from "@/core/raster";
import { UserError } from "@/core/job";
import type { Relatable, SubRelation } from "@/core/stack";
import { GRADED_BY, registeredFrame, relateSub } from "@/core/stack";
import type { FrameRef } from "../frames";
import type { Task } from "./task";

/** What a file says before its pixels are looked at. */
export interface FileReading {
  format: FormatId;
  frames: number;
  width: number;
  height: number;
  channels: number;
  bitpix: number;
  randomAccess: boolean;
  /** Whether rows were turned over on reading. */
  turned: boolean;
  /** What is odd about the file, in words. */
  notes: readonly string[];
  metadata: SubMetadata;
  cards: Card[];
  pixelScale: number | null;
  /** Start of each frame of a video in ms since 1970; null where it is not known. */
  times: (number | null)[];
}

/** Opens a file and reads its header. */
export const readFile: Task<{ frame: FrameRef }, FileReading> = {
  owned: async ({ frame }, context) => {
    const file = await context.frames.picture(frame);
    const { format, frames, width, height, channels, bitpix, randomAccess, turned, notes, metadata, cards } = file;
    const times = frames > 1 ? Array.from({ length: frames }, (_, i) => file.timeOf(i)) : [];
    return {
      format: format as FormatId,
      frames,
      width,
      height,
      channels,
      bitpix,
      randomAccess,
      turned,
      notes,
      metadata,
      cards,
      pixelScale: pixelScaleOf(metadata),
      times,
    };
  },
};

/** What the numbers of a frame are; with `look` the saturation is looked for in its stars. */
export const readUnit: Task<{ frame: FrameRef; look: boolean }, FrameUnit> = {
  owned: async ({ frame, look }, context) => {
    const unit = await context.frames.unit(frame);
    if (!look) return unit;
    const source = await context.frames.open(frame);
    return measureSaturation(await source.read(wholeRegion(source)), unit, context.job.kernels).unit ?? unit;
  },
};

/** A file that must be decoded whole, as an uncompressed FITS file. */
export const unpack: Task<{ frame: FrameRef }, Uint8Array> = {
  owned: async ({ frame }, context) => {
    const file = await context.frames.picture(frame);
    context.job.check();
    return unpackToFits(file);
  },
};

export interface SubReading {
  width: number;
  height: number;
  channels: number;
  measures: SubMeasures;
  stars: ListedStar[];
  stretch: LevelsFact;
  /** What the samples are, with the saturation that was found. */
  unit: FrameUnit;
}

/** Reads and measures one light, calibrated if its reference says so. */
export const measureSub: Task<{ frame: FrameRef }, SubReading> = {
  owned: async ({ frame }, context) => {
    const source = await context.frames.open(frame);
    context.job.check();
    const raster = await source.read(wholeRegion(source));
    context.job.progress(0.3);
    context.job.check();
    const unit = await context.frames.unit(frame);
    refuseEmpty(frame.name, raster, unit.storedPerUnit);
    const noise = (await source.noise?.()) ?? null;
    const blank = blankValue(raster);
    withoutBlank(raster, blank);
    const stretch = shownBy(raster, unit);
    const {
      measures,
      stars,
      unit: found,
    } = measure(raster, context.job.kernels, { unit, noise, blank, consume: true });
    return { ...sizeOf(raster), measures, stars, stretch, unit: found ?? unit };
  },
};

/** A light in which nothing can be measured ends here, in words, before anything is computed from it. */
function refuseEmpty(name: string, { planes }: Raster, storedPerUnit: number): void {
  let first: number | null = null;
  for (const plane of planes)
    for (let i = 0; i < plane.length; i++) {
      const v = plane[i];
      if (!Number.isFinite(v)) continue;
      first ??= v;
      // Two values that differ: most frames are done within a few pixels.
      if (v !== first) return;
    }
  if (first === null)
    throw new UserError(`${name}: no pixel has a value (all are missing or infinite)`, "Leave this frame out.");
  const value = Number((first * storedPerUnit).toPrecision(6));
  throw new UserError(`${name}: every pixel has the value ${value}`, "Leave this frame out.");
}

/** Level and noise of a frame whose stars do not matter: a calibration frame, or one of a video. */
export const measureLevels: Task<{ frame: FrameRef }, SubReading> = {
  owned: async ({ frame }, context) => {
    const source = await context.frames.open(frame);
    const raster = await source.read(wholeRegion(source));
    context.job.check();
    const unit = await context.frames.unit(frame);
    return {
      ...sizeOf(raster),
      measures: levelsOf(raster, unit, context.job.kernels),
      stars: [],
      stretch: shownBy(raster, unit),
      unit,
    };
  },
};

/** What the display stretch of a frame is fitted to. */
const shownBy = (raster: Raster, unit: FrameUnit): LevelsFact =>
  stretchLevelsOf([raster], toSample(unit, unit.fullScale));

const sizeOf = ({ width, height, channels }: Raster) => ({ width, height, channels });

function levelsOf(
  raster: Raster,
  unit: FrameUnit,
  kernels: Parameters<typeof whiteNoise>[3],
  levels = raster.planes.map((plane) => median(measureBackground(plane, raster.width, raster.height, kernels).level)),
): SubMeasures {
  const { width, height, planes } = raster;
  return {
    ...NO_MEASURES,
    background: levels,
    gradient: levels.map((level) => ({ level, dx: 0, dy: 0 })),
    noise: planes.map((plane) => whiteNoise(plane, width, height, kernels)),
    saturatedShare: measureSaturation(raster, unit, kernels, false).share,
  };
}

/** Measures frames `from` … `to` − 1 of a video, through its calibration where there is one (a mosaic has: its colours). */
export const measureVideo: Task<
  { file: FrameRef; from: number; to: number },
  { reading: SubReading; video: VideoMeasures }[]
> = {
  owned: async ({ file, from, to }, context) => {
    const picture = await context.frames.picture(file);
    const out = [];
    const unit = await context.frames.unit({ ...file, frame: from });
    for (let index = from; index < to; index++) {
      await context.job.breathe();
      const source = file.calibration ? await context.frames.open({ ...file, frame: index }) : picture.frame(index);
      const raster = await source.read(wholeRegion(source));
      out.push({
        reading: {
          ...sizeOf(raster),
          measures: levelsOf(raster, unit, context.job.kernels, skyOfVideoFrame(raster)),
          stars: [],
          stretch: shownBy(raster, unit),
          unit,
        },
        video: measureVideoFrame(raster, context.job.kernels),
      });
      context.job.progress((index + 1 - from) / (to - from));
    }
    return out;
  },
};

/** Where a sub lies against a reference and how bright it is; null where their stars do not match. */
export const relate: Task<{ sub: Relatable; reference: Relatable }, SubRelation | null> = {
  owned: ({ sub, reference }) => {
    const relation = relateSub(sub, reference, GRADED_BY, true);
    return Promise.resolve(relation.ok ? relation.value : null);
  },
};

export interface PatchPayload {
  frame: FrameRef;
  relation: SubRelation;
  size: { width: number; height: number };
  patches: SkyPatch[];
}

/** Medians of the sky patches in the registered and normalised frame. */
export const measurePatches: Task<PatchPayload, number[]> = {
  owned: async ({ frame, relation, size, patches }, context) =>
    patchLevels(registeredFrame(await context.frames.open(frame), relation, size, context.job.kernels), patches),
};

/** arcsec per px after a calibration that bins or makes super-pixels. */
export function calibratedScale(metadata: SubMetadata, settings: CalibrationSettings | null): number | null {
  return pixelScaleOf(metadata, settings ? scaleOfCalibration(settings, metadata.cfa) : 1);
}
