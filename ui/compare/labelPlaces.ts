/** Where a label may lie beside its point: from the point to the label's left, at its base line. */
const PLACES = [
  [6, -4],
  [6, 12],
  [-13, -4],
  [-13, 12],
] as const;
/** Size of a letter, and radius of a point, px. */
const [WIDE, HIGH, RADIUS] = [8, 10, 4];

/** Offsets of the letters of points in px, so that none lies over another letter or another point where one of four places is free. */
export function labelPlaces(points: readonly { x: number; y: number }[]): (readonly [number, number])[] {
  const taken: { x: number; y: number }[] = [];
  return points.map((point) => {
    const boxAt = ([dx, dy]: readonly [number, number]) => ({ x: point.x + dx, y: point.y + dy - HIGH });
    const hits = (place: readonly [number, number]): number => {
      const { x, y } = boxAt(place);
      const letters = taken.filter((other) => Math.abs(other.x - x) < WIDE && Math.abs(other.y - y) < HIGH).length;
      const others = points.filter(
        (other) =>
          other !== point &&
          other.x + RADIUS > x &&
          other.x - RADIUS < x + WIDE &&
          other.y + RADIUS > y &&
          other.y - RADIUS < y + HIGH,
      ).length;
      return letters + others;
    };
    const chosen = PLACES.reduce((best, place) => (hits(place) < hits(best) ? place : best));
    taken.push(boxAt(chosen));
    return chosen;
  });
}
