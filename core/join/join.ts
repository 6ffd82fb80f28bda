import * as z from "zod";
import type { Kernels } from "../kernels";
import type { ListedStar } from "../measure";
import type { FrameSource, Raster, Region } from "../raster";
import { medianInPlace, rasterOf } from "../raster";
import type { Warp } from "../register";
import { IDENTITY, mapPoint, matchStars, warpSchema } from "../register";
import type { Refusal, Result } from "../result";
import { done, refused } from "../result";
import { photometricScale, registeredFrame } from "../stack";

/** How a picture of one colour lies to that on whose pixels all are joined: value' = scale · value + offset has its starlight and its sky. */
export const joinPart = z.object({ toGrid: warpSchema, scale: z.number(), offset: z.number() });
export type JoinPart = z.infer<typeof joinPart>;

/** What of a picture says how it is joined. */
export interface Joinable {
  width: number;
  height: number;
  starList: ListedStar[];
  skyLevel: number;
}

/** Pictures whose stars lie this near to one another, beyond what they scatter anyway, lie on the same pixels: resampling would only blur them. */
const SAME_PX = 0.03;
const SAME_SCATTER = 1.2;

/**
 * Relates a picture to the one on whose pixels all are joined, by the stars that both show: the median star becomes as bright in both, so that the
 * mean of the stars is neutral, and their skies equal. Pictures that lie on the same pixels already stay there.
 */
export function relatePart(picture: Joinable, grid: Joinable, weight = 1): Result<JoinPart, Refusal<string>> {
  if (picture === grid) return done({ toGrid: IDENTITY, scale: weight, offset: grid.skyLevel * (1 - weight) });
  const match = matchStars(picture.starList, grid.starList, { model: "auto" });
  if (!match.ok) return refused(match.reason.why, match.reason.detail);
  const { warp, pairs } = match.value;
  const scale = weight * photometricScale(picture.starList, grid.starList, pairs);
  const apart = (through: Warp): number =>
    medianInPlace(
      Float64Array.from(pairs, ([i, j]) => {
        const [star, other] = [picture.starList[i], grid.starList[j]];
        const [x, y] = mapPoint(through, star.x, star.y);
        return Math.hypot(x - other.x, y - other.y);
      }),
    );
  const isThere =
    picture.width === grid.width &&
    picture.height === grid.height &&
    apart(IDENTITY) < SAME_SCATTER * apart(warp) + SAME_PX;
  return done({ toGrid: isThere ? IDENTITY : warp, scale, offset: grid.skyLevel - scale * picture.skyLevel });
}

/** A picture of one channel with how it is joined. */
export interface PlacedPart {
  source: FrameSource;
  part: JoinPart;
}

/**
 * A region of the colour picture that red, green and blue make. With `luminance` each channel is moved by what the luminance lies above or below the
 * mean of the three: the detail is that of the luminance, the differences between channels stay. NaN where any of them has no data.
 */
export async function joinRegion(
  colours: readonly [PlacedPart, PlacedPart, PlacedPart],
  luminance: PlacedPart | null,
  grid: { width: number; height: number },
  region: Region,
  kernels: Kernels,
): Promise<Raster> {
  const planeOf = async ({ source, part }: PlacedPart): Promise<Float32Array> => {
    if (isIdentity(part.toGrid)) return (await source.read(region)).planes[0].map((v) => part.scale * v + part.offset);
    const sub = { toReference: part.toGrid, scale: part.scale, offset: [{ level: part.offset, dx: 0, dy: 0 }] };
    return (await registeredFrame(source, sub, grid, kernels, "lanczos3").read(region)).planes[0];
  };
  const planes: Float32Array[] = [];
  for (const colour of colours) planes.push(await planeOf(colour));
  const [red, green, blue] = planes;
  if (luminance) {
    const light = await planeOf(luminance);
    for (let i = 0; i < light.length; i++) {
      const more = light[i] - (red[i] + green[i] + blue[i]) / 3;
      for (const plane of planes) plane[i] += more;
    }
  }
  for (let i = 0; i < red.length; i++) {
    const sum = red[i] + green[i] + blue[i];
    if (sum !== sum) red[i] = green[i] = blue[i] = NaN;
  }
  return rasterOf(region.width, region.height, planes);
}

const isIdentity = (warp: Warp): boolean => "matrix" in warp && warp.matrix.every((v, i) => v === IDENTITY.matrix[i]);
