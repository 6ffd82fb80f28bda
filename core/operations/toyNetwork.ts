import type { AssetRef } from "../assets";
import { parameters, slider } from "../parameters";
import { around } from "./around";
import type { Operation } from "./operation";

/** Weights of two layers of 3 × 3: four maps from one plane, and one plane from the four. */
const WEIGHTS: AssetRef = {
  id: "toy-network.bin",
  sha256: "c570aa325ab5bc2c7821aba8f171e28270393ad86fe02a9bf8e643f88544bfb5",
  bytes: 308,
};
const MAPS = 4;
/** 3 × 3 in each of two layers. */
const REACH = 2;

const toyParameters = parameters({
  strength: slider({
    label: "Strength",
    hint: "Share of what the network takes for noise that is taken away",
    min: 0,
    max: 1,
    step: 0.01,
    default: 1,
  }),
});

/**
 * The smallest network: what it makes of the picture over its noise is taken away. Nobody is offered it: it shows that
 * a step may need a file which is loaded at its first use. Weights, in the order of the file (float32, little-endian):
 * 9 for each of four maps, their four biases, 9 for each map in the second layer, one bias.
 */
export const toyNetwork: Operation<typeof toyParameters.defaults, "sky"> = {
  id: "network.toy",
  version: 1,
  words: { title: "Toy network", short: "Toy", summary: "Takes away what a very small network takes for noise." },
  group: "noise",
  parameters: toyParameters,
  channels: ["each"],
  can: { strength: { field: "strength" } },
  needs: () => ["sky"],
  assets: () => [WEIGHTS],
  source: around(() => REACH),
  async run(region, { params, facts: { sky }, job }) {
    const [sigma] = sky.sigma;
    if (!(sigma > 0)) return region;
    const bytes = await job.assets.open(WEIGHTS);
    // Its code is loaded with its weights.
    const { twoLayers } = await import("../numeric/twoLayers");
    const noise = twoLayers(region.planes[0], region.width, region.height, bytes, MAPS, 1 / sigma);
    return { ...region, planes: [region.planes[0].map((v, i) => v - params.strength * sigma * noise[i])] };
  },
};
