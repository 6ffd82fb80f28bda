import type { Region } from "@/core/raster";
import { intersectRegions } from "@/core/raster";
import type { Transform } from "@/core/register";
import { applyTransform } from "@/core/register";
import type { View } from "@/storage";

export interface CellView {
  /** Picture coordinates of the cell's left and top edge. */
  left: number;
  top: number;
  /** Screen px per picture px. */
  scale: number;
  /** What to ask for. */
  region: Region;
  reduce: number;
}

/** What a cell of `cell` px shows of a picture, around a spot of the first stack moved by the view. */
export function cellView(
  cell: { width: number; height: number },
  picture: { width: number; height: number },
  spot: { x: number; y: number },
  view: View,
  toPicture: Transform,
): CellView {
  const whole = { x: 0, y: 0, width: picture.width, height: picture.height };
  if (view.zoom === "fit") {
    const scale = Math.min(cell.width / picture.width, cell.height / picture.height, 1) || 1;
    const reduce = Math.max(1, Math.floor(1 / scale));
    const left = (picture.width - cell.width / scale) / 2;
    const top = (picture.height - cell.height / scale) / 2;
    return { left, top, scale, region: whole, reduce };
  }
  const scale = view.zoom;
  const [x, y] = applyTransform(toPicture, spot.x + view.panX, spot.y + view.panY);
  const left = x + 0.5 - cell.width / 2 / scale;
  const top = y + 0.5 - cell.height / 2 / scale;
  const wanted = {
    x: Math.floor(left),
    y: Math.floor(top),
    width: Math.ceil(cell.width / scale) + 1,
    height: Math.ceil(cell.height / scale) + 1,
  };
  return { left, top, scale, region: intersectRegions(wanted, whole), reduce: 1 };
}

/** Side of the square around a spot that is measured, in px. */
export const MEASURED_SIDE = 128;

export function measuredRegion(
  picture: { width: number; height: number },
  spot: { x: number; y: number },
  view: View,
  toPicture: Transform,
): Region {
  const [x, y] = applyTransform(toPicture, spot.x + view.panX, spot.y + view.panY);
  const half = MEASURED_SIDE / 2;
  const wanted = { x: Math.round(x) - half, y: Math.round(y) - half, width: MEASURED_SIDE, height: MEASURED_SIDE };
  return intersectRegions(wanted, { x: 0, y: 0, width: picture.width, height: picture.height });
}
