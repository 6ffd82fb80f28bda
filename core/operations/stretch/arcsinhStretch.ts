import type { StretchParams } from "../../display";
import { stretchCurves, stretchParameters, throughCurves } from "../../display";
import { around } from "../around";
import type { Operation } from "../operation";

/** Lifts the faint parts to visible brightness; what a person sees of linear data. */
export const arcsinhStretch: Operation<StretchParams, "levels"> = {
  id: "stretch.arcsinh",
  version: 1,
  words: {
    title: "Arcsinh stretch",
    short: "Arcsinh",
    summary: "Lifts the faint parts into view and keeps the bright ones from burning out.",
  },
  group: "stretch",
  madeFor: "linear",
  // Its curve moves the sky.
  output: (input) => ({ ...input, domain: "stretched", white: 1, sky: null }),
  parameters: stretchParameters,
  can: {
    strength: { field: "sky" },
  },
  channels: ["together"],
  needs: () => ["levels"],
  source: around(() => 0),
  run(region, { params, facts: { levels } }) {
    return { ...region, planes: throughCurves(region.planes, stretchCurves(params, levels)) };
  },
};
