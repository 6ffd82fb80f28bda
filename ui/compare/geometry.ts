import type { Corner } from "@/core/mask";
import type { Region } from "@/core/raster";
import { intersectRegions } from "@/core/raster";
import type { Warp } from "@/core/register";
import { compose, describeWarp, enlargedBy, IDENTITY, inverse, mapPoint, matrixAt } from "@/core/register";
import type { View } from "@/storage";

export interface CellView {
  /** Its size in px of the screen. */
  cell: { width: number; height: number };
  /** Picture coordinates of the cell's left and top edge. */
  left: number;
  top: number;
  /** Screen px per picture px. */
  scale: number;
  /** What to ask for. */
  region: Region;
  reduce: number;
  /** Where the picture lies turned or at another scale: from its pixels to those of the project's grid, on which it is shown. */
  onto: Warp | null;
}

/** A cell shows a picture's own pixels where they are off the project's grid by no more than this anywhere in it, but for a shift. */
const OFF_GRID_PX = 0.25;

/** Whether a picture must be resampled to lie over others in a cell: its own pixels, shifted, would not. */
function liesAskew(toPicture: Warp, x: number, y: number, width: number, height: number): boolean {
  const [a, b, , d, e] = matrixAt(toPicture, x, y);
  return Math.hypot((a - 1) * width, b * height, d * width, (e - 1) * height) > 2 * OFF_GRID_PX;
}

/** What lies in a cell whose middle is the pixel (x, y), at `scale` screen px per pixel. */
function around(cell: { width: number; height: number }, x: number, y: number, scale: number) {
  const left = x + 0.5 - cell.width / 2 / scale;
  const top = y + 0.5 - cell.height / 2 / scale;
  const region = {
    x: Math.floor(left),
    y: Math.floor(top),
    width: Math.ceil(cell.width / scale) + 1,
    height: Math.ceil(cell.height / scale) + 1,
  };
  return { cell, left, top, scale, region };
}

/** What a cell of `cell` px shows of a picture, around a spot of the first stack moved by the view. */
export function cellView(
  cell: { width: number; height: number },
  picture: { width: number; height: number },
  spot: { x: number; y: number },
  view: View,
  toPicture: Warp,
  /** Size of the picture that gave the project its coordinates. */
  project: { width: number; height: number } = picture,
): CellView {
  const askew =
    view.zoom === "fit"
      ? liesAskew(toPicture, project.width / 2, project.height / 2, project.width, project.height)
      : liesAskew(toPicture, spot.x, spot.y, cell.width / view.zoom, cell.height / view.zoom);
  if (askew) return gridView(cell, project, spot, view, toPicture);
  const whole = { x: 0, y: 0, width: picture.width, height: picture.height };
  if (view.zoom === "fit") {
    const scale = Math.min(cell.width / picture.width, cell.height / picture.height, 1) || 1;
    const reduce = Math.max(1, Math.floor(1 / scale));
    const left = (picture.width - cell.width / scale) / 2;
    const top = (picture.height - cell.height / scale) / 2;
    return { cell, left, top, scale, region: whole, reduce, onto: null };
  }
  const scale = view.zoom;
  const [x, y] = mapPoint(toPicture, spot.x + view.panX, spot.y + view.panY);
  const seen = around(cell, x, y, scale);
  return { ...seen, region: intersectRegions(seen.region, whole), reduce: 1, onto: null };
}

/**
 * The same on the project's grid, made as many times finer as the picture is: a finer picture keeps its detail, a coarser one is enlarged.
 * What lies beyond the picture is missing.
 */
function gridView(
  cell: { width: number; height: number },
  project: { width: number; height: number },
  spot: { x: number; y: number },
  view: View,
  toPicture: Warp,
): CellView {
  if (view.zoom === "fit") return { ...cellView(cell, project, spot, view, IDENTITY), onto: inverse(toPicture) };
  const finer = Math.max(1, Math.round(describeWarp(toPicture, spot.x, spot.y).scale));
  const toGrid = inverse(enlargedBy(1 / finer));
  const scale = view.zoom / finer;
  const [x, y] = mapPoint(toGrid, spot.x + view.panX, spot.y + view.panY);
  return { ...around(cell, x, y, scale), reduce: 1, onto: compose(toGrid, inverse(toPicture)) };
}

/** Side of the square around a spot that is measured, in px. */
export const MEASURED_SIDE = 128;

/** The middle of it, of which light and stars are measured first, px. */
export const FIRST_SIDE = 96;

export function measuredRegion(
  picture: { width: number; height: number },
  spot: { x: number; y: number },
  view: Pick<View, "panX" | "panY">,
  toPicture: Warp,
  side = MEASURED_SIDE,
): Region {
  const [x, y] = mapPoint(toPicture, spot.x + view.panX, spot.y + view.panY);
  const wanted = { x: Math.round(x) - side / 2, y: Math.round(y) - side / 2, width: side, height: side };
  return intersectRegions(wanted, { x: 0, y: 0, width: picture.width, height: picture.height });
}

/** Places between the project's coordinates and px of a cell. */
export function cellPlaces({ left, top, scale, onto }: CellView, toPicture: Warp) {
  const back = inverse(toPicture);
  const backFromGrid = onto && inverse(onto);
  return {
    toCell: ([x, y]: Corner): Corner => {
      const own = mapPoint(toPicture, x, y);
      const [u, v] = onto ? mapPoint(onto, ...own) : own;
      return [(u + 0.5 - left) * scale, (v + 0.5 - top) * scale];
    },
    toProject: (px: number, py: number): Corner => {
      const [u, v] = [left + px / scale - 0.5, top + py / scale - 0.5];
      const own = backFromGrid ? mapPoint(backFromGrid, u, v) : ([u, v] as const);
      return mapPoint(back, own[0], own[1]);
    },
  };
}

/** Columns in which so many cells are largest: two beside one another, four as a square. */
/** The readout under the pointer needs that much of the foot of a cell, px. */
const READOUT_PX = 24;
/** A smaller loupe shows too little; a larger one would cover too much, and cost more than a crop, px. */
export const LOUPE_SIDES = { least: 96, most: 240 };

interface Size {
  width: number;
  height: number;
}

/** Where a whole picture of that shape lies in a cell, and whether there is room for a loupe beside it; else the loupe lies on the picture. */
export function loupeRoom(cell: Size, picture: Size): Size & { beside: (Size & { left: number; top: number }) | null } {
  const scale = Math.min(cell.width / picture.width, cell.height / picture.height);
  const [width, height] = [Math.ceil(picture.width * scale), Math.ceil(picture.height * scale)];
  // The frame of a loupe takes a pixel on each side, and one lies between.
  const within = (room: number) => Math.min(LOUPE_SIDES.most, room - 4);
  const [right, below] = [within(cell.width - width), within(cell.height - height - READOUT_PX)];
  const isRight = right > below;
  const loupe = {
    width: isRight ? right : within(cell.width),
    height: isRight ? within(cell.height - READOUT_PX) : below,
  };
  if (Math.min(loupe.width, loupe.height) < LOUPE_SIDES.least) return { ...cell, beside: null };
  return isRight
    ? { width, height: cell.height, beside: { ...loupe, left: width + 2, top: 1 } }
    : { width: cell.width, height, beside: { ...loupe, left: 1, top: height + 2 } };
}

export const squareColumns = (count: number): number => Math.ceil(Math.sqrt(count));
