import { causesOf } from "./importBar";
import { renderToStaticMarkup } from "react-dom/server";
import type { FrameSet, GradedFrame } from "@/core/choose";
import type { SubRecord } from "@/storage";
import { firstPatches, middlePatch } from "../viewer/placed/patchOverlay";
import { handVerdict, selectionAfter } from "./grades";
import { SetsBar } from "./setsBar";

test("a calibration frame is out only by hand, and says so", () => {
  const frame = (decision: SubRecord["decision"]) => ({ decision }) as SubRecord;
  expect(handVerdict(frame(null))).toEqual({ included: true, reasons: [] });
  expect(handVerdict(frame("keep"))).toEqual({ included: true, reasons: [] });
  expect(handVerdict(frame("reject"))).toEqual({ included: false, reasons: ["rejected by hand"] });
});

test("first patches lie inside the picture, near its corners; another begins in the middle", () => {
  for (const size of [
    { width: 6000, height: 4000 },
    { width: 120, height: 90 },
  ]) {
    const patches = firstPatches(size);
    expect(patches.length).toBe(4);
    expect(new Set(patches.map(({ id }) => id)).size).toBe(4);
    for (const { x, y, side } of patches) {
      expect(x - side / 2).toBeGreaterThanOrEqual(0);
      expect(y - side / 2).toBeGreaterThanOrEqual(0);
      expect(x + side / 2).toBeLessThanOrEqual(size.width);
      expect(y + side / 2).toBeLessThanOrEqual(size.height);
    }
    expect(middlePatch(size)).toMatchObject({ x: size.width / 2, y: size.height / 2, side: patches[0].side });
  }
});

describe("sets", () => {
  const set = (key: string, count: number, integrationS: number): FrameSet<GradedFrame> => ({
    key,
    label: key,
    frames: Array.from({ length: count }, () => ({}) as GradedFrame),
    integrationS,
  });
  const text = (markup: string) =>
    markup
      .replace(/<[^>]+>/g, " ")
      .replace(/\s+/g, " ")
      .trim();

  const bar = (part: Partial<Parameters<typeof SetsBar>[0]>) =>
    renderToStaticMarkup(
      <SetsBar
        sets={[set("L", 3, 360)]}
        shown={null}
        onShow={() => undefined}
        heaviest={null}
        rankedBy="heaviest"
        total={42}
        onHeaviest={() => undefined}
        {...part}
      />,
    );

  test("one set needs no choice; several are shown with their counts and times, and all of them first", () => {
    expect(text(bar({}))).toBe("heaviest only");
    const markup = bar({ sets: [set("L", 30, 3600), set("Ha", 12, 7200)], shown: "Ha" });
    expect(text(markup)).toBe("All 42 · 3 h 0 min L 30 · 60 min Ha 12 · 2 h 0 min heaviest only");
    expect(markup.match(/aria-pressed="true"/g)?.length).toBe(1);
    expect(text(markup.slice(markup.indexOf('aria-pressed="true"')))).toContain("Ha");
  });

  test("the chip of the best frames says how many, never more than there are, and what they are ranked by", () => {
    expect(bar({ heaviest: 12 })).toContain('value="12"');
    expect(bar({ heaviest: 60 })).toContain('value="42"');
    expect(text(bar({ rankedBy: "sharpest" }))).toBe("sharpest only");
  });
});

test("selecting with Shift runs in either direction and over the order that is shown", () => {
  const order = ["d", "b", "a", "c"]; // as sorted in the table
  const shift = { ctrl: false, shift: true };
  expect(selectionAfter(order, [], "b", "c", shift)).toEqual(["b", "a", "c"]);
  expect(selectionAfter(order, [], "c", "d", shift)).toEqual(["d", "b", "a", "c"]);
  expect(selectionAfter(order, ["b"], null, "a", { ctrl: true, shift: false })).toEqual(["b", "a"]);
});

test("files that were refused for the same reason are one row, with their names", () => {
  const advice = "Copy it again.";
  const refused = ["a.fits", "b.fits", "c.fits"].map((name) => ({
    name,
    message: `${name}: byte 0: cut short`,
    advice,
  }));
  const other = { name: "d.fits", message: "the disk was taken out", advice: "" };
  expect(causesOf([refused[0], other, refused[1], refused[2]])).toEqual([
    { message: "byte 0: cut short", advice, names: ["a.fits", "b.fits", "c.fits"], isHarmless: false },
    { message: "the disk was taken out", advice: "", names: ["d.fits"], isHarmless: false },
  ]);
});
