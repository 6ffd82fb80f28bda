/** A place on the screen, in CSS px. */
export interface Box {
  left: number;
  top: number;
  width: number;
  height: number;
}

export const overlaps = (a: Box, b: Box): boolean =>
  a.left < b.left + b.width && b.left < a.left + a.width && a.top < b.top + b.height && b.top < a.top + a.height;

const STEP = { x: 12, y: 6 };

/** How far a box lies from a point, 0 inside; above and below counts more than beside, so that labels stay in the row of their control. */
function distance(box: Box, x: number, y: number): number {
  const dx = Math.max(box.left - x, 0, x - box.left - box.width);
  const dy = Math.max(box.top - y, 0, y - box.top - box.height);
  return Math.hypot(0.5 * dx, 3 * dy);
}

/**
 * Places labels of given sizes as near to their controls as may be, inside the window, over no other label and over none of the
 * boxes that are taken. Null for one that finds no room. In the order of the labels.
 */
export function placeLabels(
  labels: readonly { control: Box; width: number; height: number }[],
  taken: readonly Box[],
  screen: { width: number; height: number },
): (Box | null)[] {
  const placed: Box[] = [...taken];
  const out: (Box | null)[] = labels.map(() => null);
  // Small controls first: a large one has more room around its middle.
  const order = [...labels.keys()].sort((a, b) => area(labels[a].control) - area(labels[b].control));
  for (const i of order) {
    const { control, width, height } = labels[i];
    const middle = { x: control.left + control.width / 2, y: control.top + control.height / 2 };
    const places: { box: Box; far: number }[] = [];
    for (let top = 2; top + height <= screen.height - 2; top += STEP.y)
      for (let left = 2; left + width <= screen.width - 2; left += STEP.x) {
        const box = { left, top, width, height };
        places.push({ box, far: distance(box, middle.x, middle.y) });
      }
    places.sort((a, b) => a.far - b.far);
    const free = places.find(({ box }) => !placed.some((other) => overlaps(box, other)));
    if (!free) continue;
    placed.push(free.box);
    out[i] = free.box;
  }
  return out;
}

const area = ({ width, height }: Box): number => width * height;

/** More labels than these hide the screen that they explain. */
export const MOST_LABELS = 36;

/** All controls, or where they are too many those without words of their own. */
export function worthLabels<T extends { hasWords: boolean }>(controls: readonly T[]): T[] {
  return controls.length <= MOST_LABELS ? [...controls] : controls.filter(({ hasWords }) => !hasWords);
}
