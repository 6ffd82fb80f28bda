/** A letter first and a colour second; after six the colours repeat with a dashed edge. A rung has its lane's. */
const COLOURS = ["#e0a44a", "#5fb0e0", "#cf86c0", "#86bd73", "#e0735c", "#9a9bea"];

export function laneColour(letter: string): { colour: string; dashed: boolean } {
  const index = letter.charCodeAt(0) - 65;
  const round = Number(/^[A-Z](\d+)$/.exec(letter)?.[1] ?? 1) - 1;
  const k = index + 26 * round;
  return { colour: COLOURS[((k % 6) + 6) % 6], dashed: k >= 6 };
}
