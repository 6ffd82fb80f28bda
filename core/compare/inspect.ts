import * as z from "zod";
import type { FrameUnit } from "../formats";
import { frameUnit, toSample } from "../formats";
import type { JobHandle } from "../job";
import type { ListedStar, PointShape, Star } from "../measure";
import {
  findStars,
  listedStar,
  measureSaturation,
  scaleNoise,
  STARLET_NOISE,
  areAlike,
  starShape,
  withoutGaps,
} from "../measure";
import type { LevelsFact, Spread } from "../facts";
import { levelsOver, levelsSchema, spreadsOf } from "../facts";
import type { FrameSource, Raster, Region } from "../raster";
import {
  cropRaster,
  halfDifference,
  meanAndDeviation,
  median,
  meanPlane,
  quantile,
  robustSpread,
  tilesOf,
  wholeRegion,
} from "../raster";
import type { CellFacts } from "./spots";
import { proposeSpots } from "./spots";

/** The unit of pictures that were made before units were told: shares of full scale. */
const SHARES: FrameUnit = {
  name: "share",
  storedPerUnit: 1,
  fullScale: 1,
  saturation: 0.95,
  electronsPerAdu: null,
  from: { name: "sample type", fullScale: "sample type", saturation: "95 % of full scale" },
};

/** Facts about a finished picture that its lanes, its display and its report need. */
export const pictureFacts = z.object({
  width: z.number().int(),
  height: z.number().int(),
  channels: z.number().int(),
  /** Level that fills missing pixels, by channel: the median. */
  fill: z.array(z.number()),
  /** Sky level of the mean of the channels: the lower quartile of small cells. */
  skyLevel: z.number(),
  /** What its samples are. */
  unit: frameUnit.default(SHARES),
  stretch: levelsSchema,
  /** Null, and no stars, where what was found is too unlike for stars: craters. */
  fwhmPx: z.number().nullable(),
  stars: z.number().int(),
  /** The brightest of what was found, by which stacks are tied to one another. */
  starList: z.array(listedStar).default([]),
  /** σ of (A − B)/2 by channel; null without halves. */
  halvesSigma: z.array(z.number()).nullable(),
  /**
   * The same by channel and starlet scale (1, 2, 4, 8, 16 px), each over what unit white noise has there: all alike for white noise, rising where
   * resampling, drizzle or demosaicing shared noise between neighbours. Empty where there are no halves, or it was not measured.
   */
  halvesScales: z.array(z.array(z.number())).default([]),
  spots: z.array(z.object({ name: z.string(), x: z.number(), y: z.number() })),
});
export type PictureFacts = z.infer<typeof pictureFacts>;

/** How steeply the wings of stars fall: that of most nights. */
const BETA = 3;

/** What stars of a picture look like to the matched filter of evidence; null where there are none. */
export const starShapeOf = ({ fwhmPx }: Pick<PictureFacts, "fwhmPx">): PointShape | null =>
  fwhmPx === null ? null : { fwhmPx, beta: BETA };

/** Enough for a pattern that is found again in a picture of another scale. */
const LISTED_STARS = 200;
const TILE = 512;
const MAX_TILES = 16;
/** Stars of a tile whose profiles are fitted: of all tiles enough for a median width. */
const TILE_FITS = 24;
const CELL = 64;
/** Side of the blocks whose means tell small detail: noise counts little in them. */
const BLOCK = 4;
/** Levels are measured by one of so many samples. */
const SHOWN_BY = 7;

/** What a tile shows of its picture. */
export interface TileFacts {
  /** By channel: the median, level and spread for the display, and one of SHOWN_BY samples. */
  fill: number[];
  spreads: Spread[];
  samples: Float32Array[];
  /** In coordinates of the tile. */
  stars: Star[];
  /** The same stars in the picture. */
  placed: ListedStar[];
  cells: CellFacts[];
  /** By channel, where there are halves: the noise of their half difference, and at each scale. */
  sigma: number[];
  scales: number[][];
}

/** The tiles by which a picture is looked over: all of it up to 4 megapixels, else sixteen spread evenly. */
export function tilesToInspect(picture: { width: number; height: number }): Region[] {
  const all = tilesOf(wholeRegion(picture), TILE);
  const stride = Math.max(1, all.length / MAX_TILES);
  return Array.from({ length: Math.min(all.length, MAX_TILES) }, (_, k) => all[Math.floor(k * stride)]);
}

type Halves = { a: FrameSource; b: FrameSource } | null;

/** Looks a picture over, tile by tile. */
export async function inspectPicture(
  picture: FrameSource,
  halves: Halves,
  unit: FrameUnit,
  job: JobHandle,
): Promise<PictureFacts> {
  return factsOfTiles(picture, unit, await inspectTiles(picture, halves, unit, tilesToInspect(picture), job));
}

/** What tiles of a picture tell; some of them here, the others elsewhere. */
export async function inspectTiles(
  picture: FrameSource,
  halves: Halves,
  unit: FrameUnit,
  tiles: readonly Region[],
  job: JobHandle,
): Promise<TileFacts[]> {
  const facts: TileFacts[] = [];
  for (const [k, tile] of tiles.entries()) {
    await job.breathe();
    const piece = await picture.read(tile);
    const plane = withoutGaps(meanPlane(piece));
    const saturated = measureSaturation(piece, unit, job.kernels).mask;
    const stars = findStars(plane, tile.width, tile.height, job.kernels, { saturated, fits: TILE_FITS });
    const noise = halves && halfDifference(await halves.a.read(tile), await halves.b.read(tile)).planes;
    const { width, height } = tile;
    facts.push({
      fill: piece.planes.map(median),
      spreads: spreadsOf(piece),
      samples: piece.planes.map(sampled),
      stars,
      placed: stars.map((star) => listedStar.parse({ ...star, x: star.x + tile.x, y: star.y + tile.y })),
      cells: cellsOf(piece, tile, stars),
      sigma: noise?.map((difference) => job.kernels.robustSpread(difference, 1 << 16).sigma) ?? [],
      scales: noise?.map((light) => scaleNoise(withoutGaps(light), width, height, SCALES, job.kernels)) ?? [],
    });
    job.progress((k + 1) / tiles.length);
  }
  return facts;
}

/** What all tiles of a picture tell together. */
export function factsOfTiles(
  { width, height, channels }: { width: number; height: number; channels: number },
  unit: FrameUnit,
  tiles: readonly TileFacts[],
): PictureFacts {
  const byChannel = <T>(of: (c: number) => T): T[] => Array.from({ length: channels }, (_, c) => of(c));
  const fill = byChannel((c) => finiteOr(0, median(tiles.map((tile) => tile.fill[c]))));
  const cells = tiles.flatMap((tile) => tile.cells);
  const levels = cells
    .map((cell) => cell.level)
    .filter(Number.isFinite)
    .sort((a, b) => a - b);
  const pieces = tiles.map(({ stars }) => stars);
  const isAlike = areAlike(pieces);
  const { fwhmPx } = starShape(isAlike ? pieces.flat() : []);
  const hasHalves = tiles[0].sigma.length > 0;
  return {
    width,
    height,
    channels,
    fill,
    skyLevel: levels.length > 0 ? levels[Math.floor(levels.length / 4)] : fill.reduce((a, b) => a + b, 0) / fill.length,
    unit,
    stretch: shownLevels(tiles, toSample(unit, unit.fullScale)),
    fwhmPx,
    stars: isAlike ? pieces.flat().length : 0,
    starList: tiles
      .flatMap(({ placed }) => placed)
      .sort((p, q) => q.flux - p.flux)
      .slice(0, LISTED_STARS),
    halvesSigma: hasHalves ? byChannel((c) => finiteOr(0, median(tiles.map(({ sigma }) => sigma[c])))) : null,
    halvesScales: hasHalves
      ? byChannel((c) => overTiles(tiles.map(({ scales }) => scales[c]))).filter((of) => of.length > 0)
      : [],
    spots: proposeSpots(cells, width, height, fwhmPx !== null),
  };
}

/** Scales at which the noise of the halves is measured. */
const SCALES = 5;

/** The median over tiles of the noise at each scale, over that of unit white noise; nothing of no tile. */
function overTiles(tiles: readonly number[][]): number[] {
  const known = tiles.filter((values) => values.every(Number.isFinite));
  if (known.length === 0) return [];
  return STARLET_NOISE.slice(0, SCALES).map((unit, j) => median(known.map((values) => values[j])) / unit);
}

/** A sky has so few samples this far below its median, in its σ; and the dark end of what has more is this quantile. */
const [BELOW, FEW, DARK_END] = [2.5, 0.02, 0.002];

/** The levels by which a picture is shown: those of its sky; where the median is no sky but a lit surface with shadows, σ reaches so far that these are not cut off. */
export function shownLevels(tiles: readonly Pick<TileFacts, "spreads" | "samples">[], white: number): LevelsFact {
  const levels = levelsOver(
    tiles.map(({ spreads }) => spreads),
    white,
  );
  const sigma = levels.level.map((level, c) => {
    const own = levels.sigma[c];
    const black = level - BELOW * own;
    let below = 0;
    let all = 0;
    for (const { samples } of tiles) {
      all += samples[c].length;
      for (const v of samples[c]) if (v < black) below++;
    }
    if (below <= FEW * all) return own;
    const dark = quantile(
      tiles.flatMap(({ samples }) => [...samples[c]]),
      DARK_END,
    );
    return Math.max(own, (level - dark) / BELOW);
  });
  return { ...levels, sigma };
}

/** One of SHOWN_BY samples of a plane, those without data left out. */
export function sampled(plane: Float32Array): Float32Array {
  const out = new Float32Array(Math.ceil(plane.length / SHOWN_BY));
  let n = 0;
  for (let i = 0; i < plane.length; i += SHOWN_BY) if (plane[i] === plane[i]) out[n++] = plane[i];
  return out.slice(0, n);
}

/** Means of whole blocks of `side` px. */
function blockMeans({ planes: [plane], width, height }: Raster, side: number): Float64Array {
  const [columns, rows] = [Math.floor(width / side), Math.floor(height / side)];
  const out = new Float64Array(columns * rows);
  for (let y = 0; y < rows * side; y++)
    for (let x = 0; x < columns * side; x++)
      out[Math.floor(y / side) * columns + Math.floor(x / side)] += plane[y * width + x] / (side * side);
  return out;
}

/** Cells of a tile that lie well inside the picture's data; structure is the spread of medians of 16 px parts. */
function cellsOf(piece: Raster, tile: Region, stars: Star[]): CellFacts[] {
  const plane = meanPlane(piece);
  const cells: CellFacts[] = [];
  for (const cell of tilesOf({ x: 0, y: 0, width: piece.width, height: piece.height }, CELL)) {
    if (cell.width < CELL || cell.height < CELL) continue;
    const values = cropRaster({ ...piece, channels: 1, planes: [plane] }, cell);
    if (values.planes[0].some((v) => v !== v)) continue;
    const parts = tilesOf(wholeRegion(values), 16).map((part) => median(cropRaster(values, part).planes[0]));
    cells.push({
      x: tile.x + cell.x + CELL / 2,
      y: tile.y + cell.y + CELL / 2,
      level: median(values.planes[0]),
      structure: robustSpread(parts).sigma,
      detail: meanAndDeviation(blockMeans(values, BLOCK)).sigma,
      stars: stars.filter(
        ({ x, y }) => Math.abs(x - cell.x - CELL / 2) <= CELL * 0.75 && Math.abs(y - cell.y - CELL / 2) <= CELL * 0.75,
      ).length,
    });
  }
  return cells;
}

function finiteOr(fallback: number, value: number): number {
  return Number.isFinite(value) ? value : fallback;
}
