import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join as path } from "node:path";
import { writeFits } from "@/core/formats";
import { createNight, exposeSub } from "@/core/simulate";
import { stackReport } from "@/core/stack";
import { wasmKernels } from "@/core/testing/fixtures";
import { dunkel, endOf } from "./testing";

/** Three filters in one run on the pixels of one reference, then joined into colour. */
const folder = mkdtempSync(path(tmpdir(), "dunkel-join-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

interface Stack {
  filter: string;
  out: string;
  subsUsed: number;
  subs: { matrix: number[] | null }[];
}

test("stacks of three filters lie on one grid, and make a picture whose stars are neutral in the mean", () => {
  const night = createNight({ subs: 9, seed: 5, width: 300, height: 240 });
  const kernels = wasmKernels();
  const filters = ["R", "G", "B"];
  const files = night.subs.map((conditions, i) => {
    const { width, height, planes } = exposeSub(night.sky, night.camera, { ...conditions, trail: null }, 1, kernels);
    const file = path(folder, `${filters[i % 3]}${i}.fits`);
    const cards = [
      // As one program writes it, and another.
      ["FILTER", i < 3 ? filters[i % 3] : filters[i % 3].toLowerCase()],
      ["EXPTIME", 60],
      ["IMAGETYP", "light"],
    ] as [string, string | number][];
    writeFileSync(file, writeFits({ width, height, channels: 1, sample: "uint16", cards }, [planes[i % 3]]));
    return file;
  });
  const out = path(folder, "night.fits");
  // One of a fourth filter, with its cap on.
  const dark = path(folder, "Ha.fits");
  const capped = { width: 300, height: 240, channels: 1, sample: "uint16" as const };
  writeFileSync(
    dark,
    writeFits({ ...capped, cards: [["FILTER", "Ha"]] as [string, string][] }, [new Float32Array(300 * 240).fill(0.01)]),
  );
  const made = dunkel<{ stacks: Stack[]; reference: string; missing: { filter: string; reason: string }[] }>(
    ...["stack", ...files, dark, "--by-filter", "--fwhm-limit", "0", "--out", out],
  );
  expect(made.stacks.map(({ filter }) => filter)).toEqual(filters);
  expect(made.missing.map(({ filter }) => filter)).toEqual(["Ha"]);
  expect(made.stacks.every(({ subsUsed }) => subsUsed === 3)).toBe(true);
  // Each report names its own reference, and on whose pixels it lies.
  for (const { out: stack } of made.stacks) {
    const report = stackReport.parse(JSON.parse(readFileSync(stack.replace(".fits", ".json"), "utf8")));
    expect(report.pixelsOf).toBe(report.referenceName === made.reference ? null : made.reference);
  }
  const [red, green, blue] = made.stacks.map((stack) => stack.out);
  // All three lie on the same pixels.
  for (const other of [red, blue]) {
    const { middle } = dunkel<{ middle: number[] }>("match", other, green);
    expect(Math.hypot(middle[0] - 150, middle[1] - 120)).toBeLessThan(0.1);
  }
  const colour = path(folder, "colour.fits");
  const joined = dunkel<{ halves: boolean; parts: { part: { scale: number; toGrid: { kind: string } } }[] }>(
    ...["join", "--red", red, "--green", green, "--blue", blue, "--out", colour],
  );
  expect(joined.halves).toBe(true);
  expect(joined.parts.map(({ part }) => part.toGrid.kind)).toEqual(["shift", "shift", "shift"]);
  const info = dunkel<{
    files: { channels: number; metadata: { product: string; filter: string; exposureS: number } }[];
  }>(...["info", colour]).files[0];
  expect(info).toMatchObject({ channels: 3, metadata: { product: "stack", filter: "R+G+B", exposureS: 540 } });
  // Twice the weight is twice the starlight.
  const heavy = dunkel<typeof joined>(
    ...["join", "--red", red, "--green", green, "--blue", blue, "--luminance", green, "--red-weight", "2"],
    ...["--out", path(folder, "heavy.fits")],
  );
  expect(heavy.parts[0].part.scale).toBeCloseTo(2 * joined.parts[0].part.scale, 6);
  expect(heavy.parts.length).toBe(4);
  expect(endOf("join", "--red", red, "--green", green, "--out", colour).stderr).toContain("--blue");
  expect(
    endOf("join", "--red", red, "--green", colour, "--blue", blue, "--out", path(folder, "x.fits")).stderr,
  ).toContain("has 3 channels");
  expect(endOf("join", "--red", red, "--green", green, "--blue", blue, "--out", red).stderr).toContain(
    "take the place",
  );
});
