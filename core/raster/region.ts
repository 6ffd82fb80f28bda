/**
 * Conventions of the whole core, stated once:
 * - Pixel (x, y) has its centre at integer coordinates, 0-based; x runs along a row, y from row to row in file order.
 * - A region covers the pixels x … x + width − 1 and y … y + height − 1.
 */
export interface Region {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Throws RangeError, which names what was read from, unless the region lies inside a picture of the size. */
export function checkInside(region: Region, { width, height }: { width: number; height: number }, of = ""): void {
  if (region.x < 0 || region.y < 0 || region.x + region.width > width || region.y + region.height > height)
    throw new RangeError(`${of && `${of}: `}region ${JSON.stringify(region)} must lie inside ${width}×${height}`);
}

/** The region grown by `px` pixels on every side (not clamped to any picture). */
export function growRegion(region: Region, px: number): Region {
  return { x: region.x - px, y: region.y - px, width: region.width + 2 * px, height: region.height + 2 * px };
}

/** The common part of two regions; width and height are 0 where they do not meet. */
export function intersectRegions(a: Region, b: Region): Region {
  const x = Math.max(a.x, b.x);
  const y = Math.max(a.y, b.y);
  const width = Math.max(0, Math.min(a.x + a.width, b.x + b.width) - x);
  const height = Math.max(0, Math.min(a.y + a.height, b.y + b.height) - y);
  return { x, y, width, height };
}

/** `region` as seen from the upper left of `area`. */
export function relativeTo(area: Region, region: Region): Region {
  return { ...region, x: region.x - area.x, y: region.y - area.y };
}

export function isEmptyRegion(region: Region): boolean {
  return region.width <= 0 || region.height <= 0;
}

/** The region of a whole picture. */
export function wholeRegion(size: { width: number; height: number }): Region {
  return { x: 0, y: 0, width: size.width, height: size.height };
}

/**
 * Cuts a region into tiles of at most `tileWidth` × `tileHeight` pixels, row by row.
 * An empty region gives no tiles.
 */
export function tilesOf(region: Region, tileWidth: number, tileHeight = tileWidth): Region[] {
  if (!(tileWidth >= 1) || !(tileHeight >= 1))
    throw new RangeError(`tile size must be at least 1 px, received ${tileWidth}×${tileHeight}`);
  const tiles: Region[] = [];
  for (let y = region.y; y < region.y + region.height; y += tileHeight)
    for (let x = region.x; x < region.x + region.width; x += tileWidth)
      tiles.push(intersectRegions({ x, y, width: tileWidth, height: tileHeight }, region));
  return tiles;
}
