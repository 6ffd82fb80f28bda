import type { AnyMaskKind, Mask, MaskPart } from "@/core/mask";
import type { Board } from "@/storage";
import { changeStep } from "./board";

/** A part of a kind with its defaults. */
export const partOf = (kind: AnyMaskKind, how: MaskPart["how"] = "or"): MaskPart => ({
  kind: kind.id,
  how,
  inverted: false,
  outline: [],
  params: { ...kind.parameters.defaults },
});

/** A new mask of one part, which a step acts in from then on. */
export function addMask(board: Board, laneId: string, stepId: string, kind: AnyMaskKind): [Board, Mask] {
  const taken = new Set(board.masks.map(({ name }) => name));
  const names = [kind.title, ...board.masks.map((_, k) => `${kind.title} ${k + 2}`)];
  const name = names.find((one) => !taken.has(one)) ?? `${kind.title} ${board.masks.length + 2}`;
  const mask: Mask = { id: crypto.randomUUID(), name, parts: [partOf(kind)], blurPx: 0, inverted: false };
  return [changeStep({ ...board, masks: [...board.masks, mask] }, laneId, stepId, { mask }), mask];
}

/** A mask changed, for the project and all steps that have it. */
export function changeMask(board: Board, mask: Mask): Board {
  return withMask({ ...board, masks: board.masks.map((one) => (one.id === mask.id ? mask : one)) }, mask.id, mask);
}

/** A mask taken out; steps that had it act everywhere. */
export function removeMask(board: Board, maskId: string): Board {
  return withMask({ ...board, masks: board.masks.filter(({ id }) => id !== maskId) }, maskId, null);
}

/** How many steps of all lanes have it. */
export const usesOf = (board: Board, maskId: string): number =>
  board.lanes.reduce((sum, { steps }) => sum + steps.filter(({ mask }) => mask?.id === maskId).length, 0);

const withMask = (board: Board, maskId: string, mask: Mask | null): Board => ({
  ...board,
  lanes: board.lanes.map((lane) => ({
    ...lane,
    steps: lane.steps.map((step) => (step.mask?.id === maskId ? { ...step, mask } : step)),
  })),
});
