/* Steps that give other pixels than they get, and one that is placed on the picture, for tests of what must follow them. */
import type { AnyOperation, Operation } from "../operations";
import { OPERATIONS } from "../operations";
import { parameters, pointsField, slider } from "../parameters";
import type { Raster, Region } from "../raster";
import { createRaster, cropRaster, meanPlane, rasterOf, relativeTo } from "../raster";
import { compose, enlargedBy, linear, shiftBy } from "../register";

const px = (label: string, max: number, value: number) =>
  slider({ label, hint: "In pixels of what it gets", min: 0, max, step: 1, default: value, unit: "px" });

type Size = { margin: number };

/** Cuts so many px off at each side. */
export const cut: Operation<Size, never> = {
  id: "test.cut",
  version: 1,
  words: { title: "Cut", short: "Cut", summary: "Cuts the borders off." },
  group: "stretch",
  parameters: parameters({ margin: px("Margin", 100, 20) }),
  channels: ["together"],
  needs: () => [],
  output: (input, { margin }) => ({
    ...input,
    width: input.width - 2 * margin,
    height: input.height - 2 * margin,
    toSource: compose(input.toSource, shiftBy(margin, margin)),
  }),
  source: (region, { margin }) => ({ ...region, x: region.x + margin, y: region.y + margin }),
  run: (input) => input,
  can: {},
};

/** The mean of 2 × 2 px as one. */
export const halved: Operation<Record<string, never>, never> = {
  id: "test.halved",
  version: 1,
  words: { title: "Halved", short: "Halved", summary: "Makes one pixel of four." },
  group: "stretch",
  parameters: parameters({}) as Operation<Record<string, never>, never>["parameters"],
  channels: ["together"],
  needs: () => [],
  output: (input) => ({
    ...input,
    width: Math.floor(input.width / 2),
    height: Math.floor(input.height / 2),
    toSource: compose(input.toSource, enlargedBy(2)),
  }),
  source: ({ x, y, width, height }) => ({ x: 2 * x, y: 2 * y, width: 2 * width, height: 2 * height }),
  run: (input) => {
    const out = createRaster(input.width >> 1, input.height >> 1, input.channels);
    out.planes.forEach((plane, c) => {
      for (let i = 0; i < plane.length; i++) {
        const at = 2 * (i % out.width) + 2 * Math.floor(i / out.width) * input.width;
        const from = input.planes[c];
        plane[i] = (from[at] + from[at + 1] + from[at + input.width] + from[at + input.width + 1]) / 4;
      }
    });
    return out;
  },
  can: {},
};

/** A quarter turn: what was right comes to lie below. Told by the height of what it gets. */
export const turned: Operation<{ height: number }, never> = {
  id: "test.turned",
  version: 1,
  words: { title: "Turned", short: "Turned", summary: "Turns the picture by a quarter." },
  group: "stretch",
  parameters: parameters({ height: px("Height", 1000, 100) }),
  channels: ["together"],
  needs: () => [],
  // New (x, y) was old (y, height − 1 − x).
  output: (input, { height }) => ({
    ...input,
    width: input.height,
    height: input.width,
    toSource: compose(input.toSource, linear([0, 1, 0, -1, 0, height - 1])),
  }),
  source: (region, { height }) => turnedBack(region, height),
  run: (input, { params: { height }, place }) => {
    const wanted = turnedBack(place.result as Region, height);
    const from = cropRaster(input, relativeTo({ ...wanted, x: place.x, y: place.y }, wanted));
    const out = createRaster(from.height, from.width, from.channels);
    out.planes.forEach((plane, c) => {
      for (let i = 0; i < plane.length; i++) {
        const [x, y] = [i % out.width, Math.floor(i / out.width)];
        plane[i] = from.planes[c][(from.height - 1 - x) * from.width + y];
      }
    });
    return out;
  },
  can: {},
};

const turnedBack = ({ x, y, width, height }: Region, rows: number): Region => ({
  x: y,
  y: rows - x - width,
  width: height,
  height: width,
});

/** The mean of the channels alone. */
export const mono: Operation<Record<string, never>, never> = {
  id: "test.mono",
  version: 1,
  words: { title: "Mono", short: "Mono", summary: "Makes one channel of all." },
  group: "stretch",
  parameters: parameters({}) as Operation<Record<string, never>, never>["parameters"],
  channels: ["together"],
  needs: () => [],
  output: (input) => ({ ...input, channels: 1 }),
  source: (region) => region,
  run: (input): Raster => rasterOf(input.width, input.height, [meanPlane(input)]),
  can: {},
};

const marksParameters = parameters({
  points: pointsField({ label: "Point of light", hint: "Where the picture gets brighter", most: 5 }),
});

/** Adds light about points. With its line in the registry it is shown, moved and run like any other. */
export const marks: Operation<typeof marksParameters.defaults, never> = {
  id: "test.marks",
  version: 1,
  words: { title: "Marks", short: "Marks", summary: "Adds light about points." },
  group: "detail",
  parameters: marksParameters,
  channels: ["together"],
  needs: () => [],
  source: (region) => region,
  run: (input, { params: { points }, place }) => ({
    ...input,
    planes: input.planes.map((plane) =>
      plane.map((v, i) => {
        const [x, y] = [place.x + (i % input.width), place.y + Math.floor(i / input.width)];
        return points.reduce((sum, [u, w]) => sum + Math.exp(-((x - u) ** 2 + (y - w) ** 2) / 18), v);
      }),
    ),
  }),
  can: {},
};

/** Runs with more operations in the registry. */
export async function withOperations<T>(more: readonly AnyOperation[], of: () => Promise<T>): Promise<T> {
  const registry = OPERATIONS as AnyOperation[];
  registry.push(...more);
  try {
    return await of();
  } finally {
    registry.splice(registry.length - more.length, more.length);
  }
}
