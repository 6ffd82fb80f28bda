import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { basename, join } from "node:path";
import * as z from "zod";
import { bytesOfArray, openFits, valueOf } from "@/core/formats";
import { cropRaster, wholeRegion } from "@/core/raster";
import { worstDifference } from "@/core/testing/fixtures";
import { OPERATIONS } from "@/core/operations";
import { calibrationParameters } from "@/core/calibrate";
import { stackParameters } from "@/core/stack";
import {
  checkOptions,
  optionsOf,
  parseArguments,
  regionOption,
  sizeOption,
  switchesOf,
  usageOf,
  valuesOf,
} from "./arguments";
import { dunkel, endOf } from "./testing";

const folder = mkdtempSync(join(tmpdir(), "dunkel-cli-"));
afterAll(() => rmSync(folder, { recursive: true }));

describe("arguments", () => {
  test("files and options come apart; faults name the option", () => {
    expect(parseArguments(["a.fits", "--out", "b", "c.fits"], ["out"])).toEqual({
      files: ["a.fits", "c.fits"],
      options: { out: "b" },
    });
    expect(() => parseArguments(["--nope", "1"], ["out"])).toThrow("unknown option --nope");
    expect(() => parseArguments(["--out"], ["out"])).toThrow("--out needs a value");
    expect(() => parseArguments(["--out", "a", "--out", "b"], ["out"])).toThrow("given twice");
    expect(parseArguments(["--raw", "x", "--video=no"], ["raw", "video"], ["raw", "video"])).toEqual({
      files: ["x"],
      options: { raw: "yes", video: "no" },
    });
    expect(() => checkOptions(z.object({ low: z.coerce.number().max(3) }), { low: "9" })).toThrow("--low");
    expect(checkOptions(z.object({ size: sizeOption }), { size: "90x60" })).toEqual({
      size: { width: 90, height: 60 },
    });
    expect(() => checkOptions(z.object({ region: regionOption }), { region: "1,2,3" })).toThrow("must be x,y,w,h");
  });
});

describe("parameters as options", () => {
  const options = z.object(optionsOf(stackParameters));

  test("texts become values; what is not given takes its default; a wrong one names the option", () => {
    const given = checkOptions(options, { low: "2.5", reject: "none", "keep-doubles": "yes" });
    expect(valuesOf(stackParameters, given)).toEqual({
      ...stackParameters.defaults,
      lowSigma: 2.5,
      reject: "none",
      keepDoubles: true,
    });
    const others = checkOptions(options, { transform: "translation", weights: "quality", resample: "lanczos4" });
    expect(valuesOf(stackParameters, others)).toMatchObject({
      transform: "shift",
      weights: "shape",
      resampling: "lanczos4",
    });
    expect(() => checkOptions(options, { low: "99" })).toThrow("--low");
    expect(() => checkOptions(options, { reject: "some" })).toThrow("--reject");
    // What the parameter itself refuses is refused here, by the option's name, and not by a dump of its schema later.
    expect(() => checkOptions(z.object(optionsOf(calibrationParameters)), { bin: "1.5" })).toThrow(/^--bin: /);
    expect(() => checkOptions(options, { low: "three" })).toThrow(/^--low: /);
    expect(switchesOf(stackParameters)).toEqual(["keep-trails", "keep-cores", "keep-doubles", "mix-filters"]);
  });

  test("the usage names each with its range and default", () => {
    expect(usageOf(stackParameters)).toContain("percentile|minmax|none (auto)] [--low 0.5…20 (3.5)]");
    expect(usageOf(stackParameters)).toContain("[--keep-doubles]");
  });
});

test("operations prints the registry: every parameter with its range, default and unit", () => {
  const { operations } = dunkel<{ operations: Record<string, unknown>[] }>("operations");
  expect(operations.map(({ id }) => id)).toEqual(OPERATIONS.map(({ id }) => id));
  for (const [i, told] of operations.entries()) {
    const { parameters, can, madeFor = null, channels } = OPERATIONS[i];
    expect(told).toMatchObject({ strength: can.strength?.field ?? null, madeFor, channels });
    expect(told.parameters).toEqual(JSON.parse(JSON.stringify(parameters.fields)));
  }
  const lucy = operations.find(({ id }) => id === "deconvolve.richardson-lucy");
  expect(lucy?.parameters).toContainEqual(
    expect.objectContaining({ name: "fwhmPx", min: 0.8, max: 12, step: 0.05, default: 3, unit: "px" }),
  );
});

describe("the whole way without a screen", () => {
  test("simulate, stack, measure, process: JSON out, files that fit together", async () => {
    const night = dunkel<{ files: string[] }>(
      "simulate",
      "--subs",
      "6",
      "--seed",
      "4",
      "--size",
      "300x220",
      "--out",
      folder,
    );
    expect(night.files.length).toBe(6);
    const subs = night.files.map((name) => join(folder, name));
    writeFileSync(join(folder, "broken.fits"), "SIMPLE  = no");
    const out = join(folder, "stack.fits");
    const made = dunkel<{
      subsUsed: number;
      unreadable: { file: string; reason: string }[];
      subs: { matrix: number[] | null }[];
    }>("stack", ...subs, join(folder, "broken.fits"), "--out", out, "--low", "3", "--memory", "128");
    expect(made.subsUsed).toBe(5);
    expect(made.unreadable).toEqual([{ file: join(folder, "broken.fits"), reason: expect.stringContaining("byte 0") }]);
    expect(made.subs.filter(({ matrix }) => matrix?.length === 6).length).toBe(5);
    expect(JSON.parse(readFileSync(join(folder, "stack.json"), "utf8")).subsUsed).toBe(5);
    const open = async (name: string) =>
      valueOf(await openFits(bytesOfArray(name, new Uint8Array(readFileSync(join(folder, name))))));
    for (const name of ["stack.fits", "stack.a.fits", "stack.b.fits"]) expect((await open(name)).channels).toBe(3);
    expect((await open("stack.coverage.fits")).channels).toBe(1);

    const measured = dunkel<{ noiseFromHalves: number; snrDefinition: string }>(
      "measure",
      out,
      "--region",
      "100,80,128,100",
    );
    expect(measured.noiseFromHalves).toBeGreaterThan(0);
    expect(measured.snrDefinition).toContain("20 log10");

    const chain = {
      format: "dunkel-chain",
      version: 1,
      steps: [
        {
          operation: "noise.starlet",
          version: 2,
          params: { strength: 0.6, scales: 4 },
          channels: "together",
          blend: 1,
          on: true,
        },
      ],
    };
    writeFileSync(join(folder, "chain.json"), JSON.stringify(chain));
    dunkel("process", out, "--chain", join(folder, "chain.json"), "--out", join(folder, "whole.fits"));
    dunkel(
      "process",
      out,
      "--chain",
      join(folder, "chain.json"),
      "--out",
      join(folder, "part.fits"),
      "--region",
      "60,50,90,70",
    );
    const [whole, part] = [await open("whole.fits"), await open("part.fits")];
    const [all, crop] = [await whole.read(wholeRegion(whole)), await part.read(wholeRegion(part))];
    expect(
      worstDifference(crop.planes[0], cropRaster(all, { x: 60, y: 50, width: 90, height: 70 }).planes[0]),
    ).toBeLessThan(1e-6);
    expect(whole.header.history.join("")).toContain('"strength": 0.6');

    // A step whose weights and code are loaded when it runs.
    const network = { operation: "network.toy", version: 1, params: {}, channels: "each", blend: 1, on: true };
    writeFileSync(join(folder, "toy.json"), JSON.stringify({ ...chain, version: 3, steps: [network] }));
    const toy = ["process", out, "--chain", join(folder, "toy.json"), "--out"];
    dunkel(...toy, join(folder, "toyWhole.fits"));
    dunkel(...toy, join(folder, "toyPart.fits"), "--region", "60,50,90,70");
    const [before, toyWhole, toyPart] = await Promise.all(
      [out, "toyWhole.fits", "toyPart.fits"].map(async (name) => {
        const frame = await open(basename(name));
        return frame.read(wholeRegion(frame));
      }),
    );
    const area = { x: 60, y: 50, width: 90, height: 70 };
    expect(worstDifference(toyPart.planes[0], cropRaster(toyWhole, area).planes[0])).toBeLessThan(1e-6);
    expect(worstDifference(toyWhole.planes[0], before.planes[0])).toBeGreaterThan(1e-4);
  });

  // On the stack and the chain of the test above.
  test("compare, equal, evidence: a sheet and a table, chains that leave the same noise, what the halves say", () => {
    const [out, chain, other] = ["stack.fits", "chain.json", "gaussian.json"].map((name) => join(folder, name));
    const step = { operation: "noise.gaussian", version: 1, params: {}, channels: "together", blend: 1, on: true };
    writeFileSync(other, JSON.stringify({ format: "dunkel-chain", version: 2, name: "g", steps: [step] }));
    const [sheet, table] = [join(folder, "sheet.html"), join(folder, "measures.csv")];
    const both = ["--chain", chain, "--chain", other];
    const compared = dunkel<{ spots: unknown[]; measures: { lane: string; values: Record<string, number | null> }[] }>(
      ...["compare", out, ...both, "--spots", "120,90", "--spots", "200,130", "--out", sheet, "--csv", table],
    );
    expect(compared.measures.map(({ lane }) => lane)).toEqual(["A", "B", "A", "B"]);
    for (const { values } of compared.measures) expect(values.noiseDb).toBeLessThan(0);
    expect(readFileSync(sheet, "utf8").match(/<img src="data:image\/png/g)?.length).toBe(4);
    expect(readFileSync(table, "utf8").trim().split("\r\n").length).toBe(5);

    const made = dunkel<{ wanted: number; lanes: { letter: string; reached?: number; isReached?: boolean }[] }>(
      ...["equal", out, ...both, "--to", "A", "--out-dir", join(folder, "equal")],
    );
    expect(made.lanes[1]).toMatchObject({ letter: "B", isReached: true });
    expect(Math.abs((made.lanes[1].reached ?? NaN) / made.wanted - 1)).toBeLessThan(0.01);
    const written = JSON.parse(readFileSync(join(folder, "equal", "gaussian.json"), "utf8")) as {
      steps: { params: { strength: number } }[];
    };
    expect(written.steps[0].params.strength).toBeLessThan(1);

    const told = dunkel<{ noise: { before: number[]; left: number[] }; stars: unknown[]; unsupportedShare: number }>(
      ...["evidence", out, "--chain", chain, "--region", "60,40,160,128"],
    );
    expect(told.noise.left[0]).toBeLessThan(told.noise.before[0]);
    expect(told.unsupportedShare).toBeLessThan(0.05);
    // Of all of it: a picture smaller than a tile is one region.
    const whole = dunkel<typeof told>("evidence", out, "--chain", chain);
    expect(whole.stars.length).toBeGreaterThanOrEqual(told.stars.length);
    expect(Math.abs(whole.noise.left[0] / told.noise.left[0] - 1)).toBeLessThan(0.15);
  });

  test.each([
    [["compare", "x.fits", "--chain", "a.json"], "--out"],
    [["equal", "x.fits", "--out-dir", "d"], "--chain: 1 or more are needed"],
    [["evidence", "/no/such.fits", "--chain", "a.json"], "no such file"],
    [["stack", "--out", "x.fits"], "no subs are given"],
    [["stack", "/no/such.fits", "--out", "x.fits"], "no such file"],
    [["measure"], "one FITS file is needed"],
    [["simulate", "--size", "big", "--out", "x"], "--size"],
    [["process", "x.fits", "--chain", "/no/chain.json", "--out", "y"], "cannot be read"],
  ])("%j fails with one clear line", (args, words) => {
    const { status, stdout, stderr } = endOf(...args);
    expect(status).toBe(1);
    expect(stdout).toBe("");
    expect(stderr.trim().split("\n").length).toBe(1);
    expect(stderr).toContain(words);
    // What is wrong and what to do are sentences of their own, each with one full stop.
    expect(stderr).not.toMatch(/[^.]\.\.(\s|$)/);
  });

  test("an unknown command shows the usage", () => {
    const { status, stderr } = endOf("fly");
    expect(status).toBe(2);
    expect(stderr).toContain("usage:");
  });

  test("asked for help, the usage is the answer", () => {
    const { status, stdout, stderr } = endOf("--help");
    expect([status, stderr]).toEqual([0, ""]);
    expect(stdout).toContain("stack FILES");
  });
});
