import type { SubMeasures, VideoMeasures } from "../measure";
import { shiftBy } from "../register";
import type { SubRelation } from "./relation";

interface DiscFrame {
  measures: Pick<SubMeasures, "background">;
  video: VideoMeasures;
}

/**
 * The relation of two frames of a planetary video, by the disc instead of stars: the shift of its centroid (px, x' = x + c),
 * the ratio of its light above the sky, and the difference of the sky. Rotation of the field is not told. Null where either
 * frame shows no disc. Source: centroid and aperture photometry, common practice of the trade.
 */
export function relateDiscs(own: DiscFrame, reference: DiscFrame): SubRelation | null {
  const [from, to] = [own.video, reference.video];
  if (from.x === null || from.y === null || to.x === null || to.y === null) return null;
  if (!(from.brightness > 0) || !(to.brightness > 0)) return null;
  const scale = to.brightness / from.brightness;
  return {
    toReference: shiftBy(to.x - from.x, to.y - from.y),
    residualPx: 0,
    pairs: 0,
    scale,
    offset: own.measures.background.map((level, c) => ({
      level: (reference.measures.background[c] ?? level) - scale * level,
      dx: 0,
      dy: 0,
    })),
  };
}
