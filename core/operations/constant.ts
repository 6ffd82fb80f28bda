import { parameters, slider } from "../parameters";
import { around } from "./around";
import type { Operation } from "./operation";

/** Every pixel becomes one level. Nobody is offered it: 0 everywhere, then 1 where a mask is, is how the mask itself is shown. */
export const constant: Operation<{ level: number }, never> = {
  id: "picture.level",
  version: 1,
  words: {
    title: "One level",
    short: "Level",
    summary: "Gives every pixel the same level.",
  },
  group: "stretch",
  parameters: parameters({
    level: slider({ label: "Level", hint: "Level of every pixel", min: 0, max: 1, step: 0.01, default: 0 }),
  }),
  can: {
    strength: { field: "level" },
  },
  channels: ["together"],
  cropBound: 0,
  needs: () => [],
  source: around(() => 0),
  run: (region, { params }) => ({ ...region, planes: region.planes.map((plane) => plane.map(() => params.level)) }),
};
