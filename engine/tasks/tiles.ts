/** A tile with its surroundings should hold no more pixels than this: each step keeps many copies of it. */
const MOST_PX = 1.25 * 2 ** 20;
const [LEAST, MOST] = [512, 1024];

const within = (px: number): number => Math.max(LEAST, Math.min(MOST, Math.floor(px)));

/** Columns of the tiles in which a strip of so many rows is treated, in px; the fewer, the wider the surroundings that a chain needs. */
export const stripTileColumns = (rows: number, halo: number): number => within(MOST_PX / (rows + 2 * halo) - 2 * halo);

/** Side of the square tiles in which a large region is treated, in px. */
export const squareTileSide = (halo: number): number => within(Math.sqrt(MOST_PX) - 2 * halo);
