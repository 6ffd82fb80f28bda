import type { Fact, FactInput, NoiseGainMap, SeenPatch } from "../facts";
import { FACTS, measureNoiseGainMap } from "../facts";
import type { JobHandle } from "../job";
import { quietly, UserError } from "../job";
import type { SkyPatch } from "../measure";
import { patchRegion } from "../measure";
import type { ChannelMode, PictureState } from "../operations";
import { untouchedState } from "../operations";
import type { FrameSource, Raster, Region } from "../raster";
import {
  createRaster,
  fillGaps,
  growRegion,
  halfDifference,
  intersectRegions,
  reduceInto,
  relativeTo,
  tilesOf,
  wholeRegion,
} from "../raster";
import type { ChainInput } from "./input";
import type { Warp } from "../register";
import { inverse, mapPoint } from "../register";
import { sizeAfter } from "./grid";
import { untouchedCounterpart } from "./ownGrid";
import { splitForMode } from "./channels";
import { stateAfter } from "./state";
import type { FactKey, ReadyStep, StepFacts } from "./ready";
import { factsNeeded, NOTHING_CHOSEN, partsOfKey, readySteps, stepsForHalves, UNTOUCHED } from "./ready";
import { runFilled } from "./run";
import type { ChainStep } from "./schema";

/** Measures facts of the input of step `index`: of the picture as it is after the steps before it, whose facts must be there. */
export async function measureFacts(
  input: ChainInput,
  steps: ChainStep[],
  facts: StepFacts[],
  index: number,
  keys: readonly FactKey[],
  job: JobHandle,
): Promise<StepFacts> {
  const before = readySteps(steps.slice(0, index), facts);
  const atStep = new SeenPicture(input, before, job);
  const untouched = before.length === 0 ? atStep : new SeenPicture(input, [], job);
  const found: StepFacts = {};
  for (const key of keys) {
    const { id, of, chosen } = partsOfKey(key);
    const [seen, mode]: [SeenPicture, ChannelMode] = of === UNTOUCHED ? [untouched, "together"] : [atStep, of];
    const values: unknown[] = [];
    const pictures = splitForMode((await seen.samples())[0], mode).length;
    for (let k = 0; k < pictures; k++) values.push(await seen.fact(FACTS[id] as Fact<unknown>, mode, k, chosen));
    found[key] = values;
  }
  return found;
}

/**
 * The facts of all steps in their order (or what stands for them, such as ids), each step's by `find`, given those of the steps before;
 * `none` for steps that need nothing. The one loop that makes a chain ready.
 */
export async function prepareChain<T>(
  steps: readonly ChainStep[],
  none: T,
  find: (index: number, keys: FactKey[], before: T[]) => Promise<T>,
): Promise<T[]> {
  const facts: T[] = [];
  for (const [i, step] of steps.entries()) {
    const keys = factsNeeded(step);
    facts.push(keys.length > 0 ? await find(i, keys, [...facts]) : none);
  }
  return facts;
}

/** prepareChain with nothing known before. */
export function measureChain(input: ChainInput, steps: ChainStep[], job: JobHandle): Promise<StepFacts[]> {
  return prepareChain<StepFacts>(steps, {}, (index, keys, before) =>
    measureFacts(input, steps, before, index, keys, job),
  );
}

/** Less of a patch than so many px to a side, within the picture, says nothing; and so many px of surroundings say what is smooth. */
const [LEAST_PATCH, ROUND_PATCH] = [8, 48];

const SAMPLE_SIDE = 320;
const MAX_SAMPLES = 9;

/** Regions that stand for the whole picture: all of it where it is small, else nine pieces spread evenly, which overlap where it is less than three of them high or wide. */
export function sampleRegions(size: { width: number; height: number }): Region[] {
  const tiles = tilesOf(wholeRegion(size), SAMPLE_SIDE).filter((tile) => tile.width >= 32 && tile.height >= 32);
  if (tiles.length === 0) return [wholeRegion(size)];
  if (tiles.length <= MAX_SAMPLES) return tiles;
  const columns = 3;
  return Array.from({ length: MAX_SAMPLES }, (_, i) => {
    const width = Math.min(SAMPLE_SIDE, size.width);
    const height = Math.min(SAMPLE_SIDE, size.height);
    const x = Math.round((((i % columns) + 0.5) / columns) * size.width - width / 2);
    const y = Math.round(((Math.floor(i / columns) + 0.5) / columns) * size.height - height / 2);
    return { x: clamp(x, size.width - width), y: clamp(y, size.height - height), width, height };
  });
}

const clamp = (v: number, most: number) => Math.max(0, Math.min(most, v));

/** Its corners, where the pieces of the whole leave them out and do not reach into them. */
export function cornerRegions({ width, height }: { width: number; height: number }): Region[] {
  const taken = sampleRegions({ width, height });
  const reach = Math.min(...taken.map(({ x }) => x), ...taken.map(({ y }) => y));
  if (reach < SAMPLE_SIDE) return [];
  return [0, width - SAMPLE_SIDE].flatMap((x) =>
    [0, height - SAMPLE_SIDE].map((y) => ({ x, y, width: SAMPLE_SIDE, height: SAMPLE_SIDE })),
  );
}

/** So many pixels next to a gap count with it. */
const BESIDE_GAPS = 4;

function gapsOf({ planes, width, height }: Raster): Uint8Array | null {
  const out = new Uint8Array(width * height);
  let any = false;
  for (const plane of planes)
    for (let i = 0; i < plane.length; i++)
      if (plane[i] !== plane[i]) {
        out[i] = 1;
        any = true;
      }
  if (!any) return null;
  // Rows, then columns: a square round each.
  const grown = (mask: Uint8Array, step: number, length: number, at: (i: number) => number) => {
    const wide = mask.slice();
    for (let i = 0; i < mask.length; i++)
      if (mask[i] === 1)
        for (let k = -BESIDE_GAPS; k <= BESIDE_GAPS; k++)
          if (at(i) + k >= 0 && at(i) + k < length) wide[i + k * step] = 1;
    return wide;
  };
  const rows = grown(out, 1, width, (i) => i % width);
  return grown(rows, width, height, (i) => Math.floor(i / width));
}

/** A picture after some steps, read once for all facts that are measured together. */
export class SeenPicture {
  private pieces: Promise<Raster[]> | null = null;
  private cornerPieces: Promise<Raster[]> | null = null;
  private differences: Promise<Raster[] | null> | null = null;
  private missing: Promise<(Uint8Array | null)[]> | null = null;
  private readonly facts = new Map<string, Promise<unknown>>();
  private readonly regions: Region[];
  private readonly corners: Region[];
  private readonly size: PictureState;
  /** From px in which a person places things, those of the stack, to those of this picture. */
  private readonly toHere: Warp;
  /** The stack on the grid of this picture. */
  private readonly untouched: Pick<ChainInput, "picture" | "halves">;

  constructor(
    private readonly input: ChainInput,
    private readonly before: ReadyStep[],
    private readonly job: JobHandle,
  ) {
    this.size = sizeAfter(before, input.picture);
    this.toHere = inverse(this.size.toSource);
    this.untouched = untouchedCounterpart(input, before, job);
    this.regions = sampleRegions(this.size);
    this.corners = cornerRegions(this.size);
  }

  samples(): Promise<Raster[]> {
    this.pieces ??= this.take(this.input.picture, this.before);
    return this.pieces;
  }

  /** The pieces, and those of the corners. */
  private async overField(): Promise<Raster[]> {
    this.cornerPieces ??= this.take(this.input.picture, this.before, this.corners);
    return [...(await this.samples()), ...(await this.cornerPieces)];
  }

  private halfDifferences(): Promise<Raster[] | null> {
    this.differences ??= this.differencesOf();
    return this.differences;
  }

  /** A fact of the k-th picture of a mode, by what was chosen where it follows that; measured once. */
  fact<V>(fact: Fact<V>, mode: ChannelMode, k: number, chosen = NOTHING_CHOSEN): Promise<V> {
    const followed = fact.follows ? chosen : NOTHING_CHOSEN;
    const key = `${fact.id}@${mode} ${k} ${JSON.stringify(followed)}`;
    const known = this.facts.get(key) ?? fact.measure(this.inMode(mode, k, followed), this.job);
    this.facts.set(key, known);
    return known as Promise<V>;
  }

  inMode(mode: ChannelMode, k: number, chosen = NOTHING_CHOSEN): FactInput {
    const ofMode = (piece: Raster): Raster => splitForMode(piece, mode)[k];
    return {
      fullScale: this.state().white,
      places: this.regions,
      samples: async () => (await this.samples()).map(ofMode),
      field: {
        places: [...this.regions, ...this.corners],
        samples: async () => (await this.overField()).map(ofMode),
      },
      gaps: () => this.gaps(),
      halfDifferences: async () => (await this.halfDifferences())?.map(ofMode) ?? null,
      untouchedDifferences: async () => (await this.untouchedDifferences())?.map(ofMode) ?? null,
      noiseGain: () => this.noiseGain(ofMode),
      patches: async () => {
        const seen = chosen.patches && (await this.patches(chosen.patches));
        return seen?.map(({ raster, inside }) => ({ raster: ofMode(raster), inside })) ?? null;
      },
      dropped: chosen.dropped.map(([x, y]) => mapPoint(this.toHere, x, y)),
      fact: (fact) => this.fact(fact, mode, k, chosen),
      overview: async (side) => ofMode(await this.overview(side)),
    };
  }

  /** Pixels of the pieces without data and their neighbours, to which steps carry what the fill made of them. */
  private gaps(): Promise<(Uint8Array | null)[]> {
    this.missing ??= Promise.all(this.regions.map(async (region) => gapsOf(await this.untouched.picture.read(region))));
    return this.missing;
  }

  /** Patches of sky with their surroundings; those that do not lie on the picture are left out. */
  private async patches(patches: SkyPatch[]): Promise<SeenPatch[]> {
    const { picture, fill } = this.input;
    const seen: SeenPatch[] = [];
    for (const placed of patches) {
      const [x, y] = mapPoint(this.toHere, placed.x, placed.y);
      const patch = { ...placed, x, y };
      const inside = intersectRegions(patchRegion(patch), wholeRegion(this.size));
      if (inside.width < LEAST_PATCH || inside.height < LEAST_PATCH) continue;
      const area = intersectRegions(growRegion(inside, ROUND_PATCH), wholeRegion(this.size));
      const raster = await runFilled(picture, this.before, area, fill, quietly(this.job));
      seen.push({ raster, inside: relativeTo(area, inside) });
    }
    if (seen.length > 0) return seen;
    throw new UserError(
      "None of the sky patches lies on the picture",
      "Move one onto it, or take the noise from elsewhere.",
    );
  }

  /** What the picture is after the steps. */
  private state(): PictureState {
    const { picture, fullScale } = this.input;
    return stateAfter(
      this.before.map(({ step }) => step),
      untouchedState(picture, { white: fullScale }),
    );
  }

  private async take(source: FrameSource, steps: ReadyStep[], regions = this.regions): Promise<Raster[]> {
    const pieces: Raster[] = [];
    for (const region of regions)
      pieces.push(await runFilled(source, steps, region, this.input.fill, quietly(this.job)));
    return pieces;
  }

  private async differencesOf(): Promise<Raster[] | null> {
    if (!this.input.halves) return null;
    const steps = stepsForHalves(this.before, this.input.picture);
    const a = await this.take(this.input.halves.a, steps);
    const b = await this.take(this.input.halves.b, steps);
    return a.map((piece, k) => halfDifference(piece, b[k]));
  }

  private async untouchedDifferences(): Promise<Raster[] | null> {
    const { halves } = this.untouched;
    if (!halves || this.before.length === 0) return this.halfDifferences();
    const { a, b } = halves;
    return Promise.all(this.regions.map(async (region) => halfDifference(await a.read(region), await b.read(region))));
  }

  private async noiseGain(ofMode: (piece: Raster) => Raster): Promise<NoiseGainMap | null> {
    const { picture, halves } = this.untouched;
    const { fill } = this.input;
    if (!halves) return null;
    const read = async (band: Region) => ({
      picture: ofMode(fillGaps(await picture.read(band), fill)),
      noise: ofMode(halfDifference(await halves.a.read(band), await halves.b.read(band))),
    });
    return measureNoiseGainMap(picture, read, this.job);
  }

  private async overview(side: number): Promise<Raster> {
    const { picture, fill } = this.input;
    const { width, height, channels } = this.size;
    const reduce = Math.max(1, Math.ceil(Math.max(width, height) / side));
    const out = createRaster(Math.ceil(width / reduce), Math.ceil(height / reduce), channels);
    const tile = Math.max(reduce, Math.floor(512 / reduce) * reduce);
    for (const region of tilesOf(wholeRegion(this.size), tile)) {
      await this.job.breathe();
      const piece = await runFilled(picture, this.before, region, fill, quietly(this.job));
      reduceInto(out, piece, region.x / reduce, region.y / reduce, reduce);
    }
    return out;
  }
}
