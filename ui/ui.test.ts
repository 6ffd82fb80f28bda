import { compose, describeWarp, IDENTITY, inverse, linear, mapPoint, rotationAbout, shiftBy } from "@/core/register";
import type { GradedFrame } from "@/core/choose";
import type { StackRecord, View } from "@/storage";
import { cellView, loupeRoom, measuredRegion } from "./compare/geometry";
import { duration, fixed, levelUnit, megabytes } from "./kit/format";
import { laneColour } from "./kit/laneColours";
import { differences } from "./stack/stackDifferences";
import { selectionAfter, sortFrames } from "./subs/grades";

const view = (part: Partial<View> = {}): View => ({ zoom: 2, panX: 0, panY: 0, ...part });
const picture = { width: 900, height: 600 };

describe("what a cell shows", () => {
  test("the spot's pixel lies in the middle of the cell at every zoom", () => {
    for (const zoom of [1, 2, 4, 8] as const) {
      const { left, top, scale } = cellView(
        { width: 195, height: 210 },
        picture,
        { x: 300, y: 200 },
        view({ zoom }),
        IDENTITY,
      );
      expect((300.5 - left) * scale).toBeCloseTo(97.5, 9);
      expect((200.5 - top) * scale).toBeCloseTo(105, 9);
    }
  });

  test("the region covers the cell, in whole pixels, clamped to the picture", () => {
    const { region, left, top, scale } = cellView(
      { width: 195, height: 210 },
      picture,
      { x: 300, y: 200 },
      view({ panX: 3.4 }),
      IDENTITY,
    );
    expect(region.x).toBeLessThanOrEqual(left);
    expect(region.x + region.width).toBeGreaterThanOrEqual(left + 195 / scale);
    expect(region.y + region.height).toBeGreaterThanOrEqual(top + 210 / scale);
    expect(cellView({ width: 195, height: 210 }, picture, { x: 0, y: 0 }, view(), IDENTITY).region.x).toBe(0);
    expect(
      cellView({ width: 195, height: 210 }, picture, { x: 0, y: 0 }, view({ panX: -900 }), IDENTITY).region.width,
    ).toBe(0);
  });

  test("fit shows all of it, reduced by a whole number", () => {
    const { region, reduce, scale, left } = cellView(
      { width: 195, height: 210 },
      picture,
      { x: 0, y: 0 },
      view({ zoom: "fit" }),
      IDENTITY,
    );
    expect(region).toEqual({ x: 0, y: 0, ...picture });
    expect(reduce).toBe(4);
    expect((900 - left) * scale).toBeCloseTo(195, 9);
  });

  test("a stack that lies turned or at another scale is put on the project's grid, a finer one on a finer grid", () => {
    const cell = { width: 200, height: 100 };
    const spot = { x: 300, y: 200 };
    for (const [factor, finer] of [
      [0.5, 1],
      [2, 2],
    ]) {
      const toPicture = compose(rotationAbout(0.3, 200, 150, 5, 9), linear([factor, 0, 0, 0, factor, 0]));
      const { left, top, scale, region, onto } = cellView(cell, picture, spot, view({ zoom: 4 }), toPicture, picture);
      if (!onto) throw new Error("not put on a grid");
      expect(scale).toBe(4 / finer);
      // The stack's pixel that shows the spot's sky comes to lie in the middle of the cell.
      const [x, y] = mapPoint(onto, ...mapPoint(toPicture, spot.x, spot.y));
      expect((x + 0.5 - left) * scale).toBeCloseTo(100, 9);
      expect((y + 0.5 - top) * scale).toBeCloseTo(50, 9);
      expect(describeWarp(onto).scale).toBeCloseTo(finer / factor, 9);
      expect(region.width).toBe(Math.ceil(200 / scale) + 1);
      const fit = cellView(cell, picture, spot, view({ zoom: "fit" }), toPicture, picture);
      expect([fit.onto, fit.region.width]).toEqual([inverse(toPicture), picture.width]);
    }
    const hardly = rotationAbout(0.0004, 300, 200, 0.3, 0);
    expect(cellView(cell, picture, spot, view({ zoom: 4 }), hardly, picture).onto).toBeNull();
  });

  test("another stack is looked at where its own pixels show the same sky", () => {
    const { left, scale } = cellView(
      { width: 100, height: 100 },
      picture,
      { x: 300, y: 200 },
      view({ zoom: 1 }),
      shiftBy(7, -4),
    );
    expect((307.5 - left) * scale).toBeCloseTo(50, 9);
    expect(measuredRegion(picture, { x: 300, y: 200 }, view(), shiftBy(7, -4))).toEqual({
      x: 243,
      y: 132,
      width: 128,
      height: 128,
    });
  });
});

describe("a loupe beside a whole picture", () => {
  const wide = { width: 900, height: 600 };
  test("lies below or at the right where that leaves room, not over the picture", () => {
    const below = loupeRoom({ width: 258, height: 334 }, wide);
    expect(below).toEqual({ width: 258, height: 172, beside: { left: 1, top: 174, width: 240, height: 134 } });
    const right = loupeRoom({ width: 776, height: 334 }, wide);
    expect(right).toEqual({ width: 501, height: 334, beside: { left: 503, top: 1, width: 240, height: 240 } });
  });
  test("lies on it where it does not, or before the cell is measured", () => {
    expect(loupeRoom({ width: 388, height: 334 }, wide)).toEqual({ width: 388, height: 334, beside: null });
    expect(loupeRoom({ width: 0, height: 0 }, wide).beside).toBeNull();
  });
});

test("numbers in words", () => {
  expect(duration(45)).toBe("45 s");
  expect(duration(2280)).toBe("38 min");
  expect(duration(7500)).toBe("2 h 5 min");
  expect(fixed(null, 2)).toBe("–");
  expect(fixed(1.005, 1)).toBe("1.0");
  expect(megabytes(3 * 2 ** 20)).toBe("3.0 MB");
  const from = { name: "", fullScale: "", saturation: "" };
  const of = (name: "ADU" | "e-" | "share", storedPerUnit: number) =>
    levelUnit({ name, storedPerUnit, fullScale: 65535, saturation: null, electronsPerAdu: 0.8, from });
  expect(of("ADU", 65535)).toMatchObject({ unit: "ADU", scale: 65535 });
  expect(of("share", 1)).toMatchObject({ unit: "ADU", scale: 65535 });
  expect(of("e-", 1)).toMatchObject({ unit: "e⁻", scale: 1 });
});

test("lanes have a colour after their letter, dashed from the seventh on", () => {
  expect(laneColour("A")).toEqual({ colour: "#e0a44a", dashed: false });
  expect(laneColour("F")).toEqual({ colour: "#9a9bea", dashed: false });
  expect(laneColour("G")).toEqual({ colour: "#e0a44a", dashed: true });
  expect(laneColour("B·3")).toEqual(laneColour("B")); // a rung
  expect(laneColour("A2")).toEqual({ colour: "#cf86c0", dashed: true }); // the 27th lane
});

const frame = (id: string, fwhmPx: number | null): GradedFrame =>
  ({ id, name: id, order: id.charCodeAt(0), measures: { fwhmPx }, relation: null }) as unknown as GradedFrame;

test("frames sort by any measure, those without it last either way", () => {
  const frames = [frame("a", 3), frame("b", null), frame("c", 2)];
  const ids = (down: boolean) => sortFrames(frames, { key: "fwhm", down }).map(({ id }) => id);
  expect(ids(false)).toEqual(["c", "a", "b"]);
  expect(ids(true)).toEqual(["a", "c", "b"]);
  expect(sortFrames(frames, { key: "name", down: true }).map(({ id }) => id)).toEqual(["c", "b", "a"]);
});

test("a click selects one, Ctrl adds and takes away, Shift selects all between", () => {
  const ids = ["a", "b", "c", "d"];
  const click = (
    clicked: string,
    keys: Partial<{ ctrl: boolean; shift: boolean }>,
    selection: string[] = [],
    current = "b",
  ) => selectionAfter(ids, selection, current, clicked, { ctrl: false, shift: false, ...keys });
  expect(click("c", {}, ["a", "b"])).toEqual([]);
  expect(click("d", { ctrl: true })).toEqual(["b", "d"]);
  expect(click("d", { ctrl: true }, ["b", "d"])).toEqual(["b"]);
  expect(click("d", { shift: true })).toEqual(["b", "c", "d"]);
  expect(click("a", { shift: true })).toEqual(["a", "b"]);
  expect(click("a", { shift: true }, [], "gone")).toEqual(["a"]);
});

test("a stack says what differs from its neighbour", () => {
  const make = (settings: object, subsUsed = 5) =>
    ({
      settings: {
        reject: "sigma",
        lowSigma: 3,
        highSigma: 3,
        weights: "noise",
        resampling: "lanczos3",
        transform: "similarity",
        ...settings,
      },
      report: { subsUsed, referenceName: "r" },
      calibration: null,
    }) as unknown as StackRecord;
  expect(differences(make({}), make({}))).toBe("same settings and subs");
  expect(differences(make({}), make({ reject: "none" }, 4))).toBe(
    "4 subs, not 5, rejection: nothing, not beyond σ of the samples",
  );
  expect(differences(make({}), make({ lowSigma: 2, weights: "equal" }))).toBe(
    "weights: all alike, not by their noise alone, low limit: 2 σ, not 3 σ",
  );
  const calibrated = (dark: string | null, bin: number) =>
    ({
      ...make({}),
      calibration: { plan: { settings: { demosaic: "limited", bin } }, groups: [{ dark, flat: "f", bias: null }] },
    }) as unknown as StackRecord;
  expect(differences(calibrated("d", 1), calibrated(null, 1))).toBe("with flats");
  expect(differences(make({}), calibrated("d", 2))).toBe("with darks and flats (binned 2×2)");
});
