import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { dunkel, endOf } from "./testing";

/** Where one picture lies in another. */
const folder = mkdtempSync(join(tmpdir(), "dunkel-match-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

test("the warp between two subs of a night, there and back again, is none; another sky is refused", () => {
  const night = (seed: number) => {
    const out = join(folder, `${seed}`);
    const { files } = dunkel<{ files: string[] }>(
      ...["simulate", "--subs", "4", "--seed", `${seed}`, "--size", "400x300", "--out", out],
    );
    return files.filter((name) => name.startsWith("weir")).map((name) => join(out, name));
  };
  const [first, second] = night(2);
  const there = dunkel<{ matrix: number[]; pairs: number; residualPx: number }>("match", first, second);
  const back = dunkel<{ matrix: number[] }>("match", second, first);
  const [a, b, c, d, e, f] = there.matrix;
  const [g, h, i, j, k, l] = back.matrix;
  // There and back again is where it was, to a tenth of a pixel.
  const [x, y] = [a * 200 + b * 150 + c, d * 200 + e * 150 + f];
  expect(Math.hypot(g * x + h * y + i - 200, j * x + k * y + l - 150)).toBeLessThan(0.1);
  expect(Math.hypot(a, d)).toBeCloseTo(1, 2);
  expect(there.pairs).toBeGreaterThan(10);
  const [stranger] = night(9);
  expect(endOf("match", first, stranger).stderr).toContain("are needed");
  expect(endOf("match", first).stderr).toContain("two pictures are needed");
});
