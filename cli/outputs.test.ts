import {
  chmodSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { checkOutputs, partsOf, writeWhole } from "./outputs";
import { dunkel, endOf } from "./testing";

const folder = mkdtempSync(join(tmpdir(), "dunkel-outputs-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (...names: string[]) => join(folder, ...names);

describe("the guard of outputs", () => {
  test("an output that is an input, by any link, is refused before any work; one that is new is not", async () => {
    writeFileSync(at("a.fits"), "a");
    mkdirSync(at("real"));
    symlinkSync(at("real"), at("link"));
    writeFileSync(at("real", "b.fits"), "b");
    await expect(checkOutputs([at("a.fits")], [at("a.fits")])).rejects.toThrow("would take the place of");
    await expect(checkOutputs([at("link", "b.fits")], [at("real", "b.fits")])).rejects.toThrow(
      "would take the place of",
    );
    symlinkSync(at("a.fits"), at("c.fits"));
    await expect(checkOutputs([at("c.fits")], [at("a.fits")])).rejects.toThrow("would take the place of");
    await expect(checkOutputs([at("n.fits"), at("real", "..", "n.fits")], [])).rejects.toThrow("written twice");
    await expect(checkOutputs([at("real")], [])).rejects.toThrow("it is a folder");
    await checkOutputs([at("new", "folder", "x.fits")], [at("a.fits")]);
    expect(readFileSync(at("a.fits"), "utf8")).toBe("a");
  });

  test("a file is written whole or not at all, and nothing else is left beside it", async () => {
    await writeWhole(at("whole.txt"), new Blob(["abc"]));
    expect(readFileSync(at("whole.txt"), "utf8")).toBe("abc");
    const broken = new Blob(["x"]);
    broken.slice = () => {
      throw new Error("no space left on device");
    };
    await expect(writeWhole(at("whole.txt"), broken)).rejects.toThrow("no space left on device");
    expect(readFileSync(at("whole.txt"), "utf8")).toBe("abc");
    expect(readdirSync(folder).filter((name) => name.endsWith(".part"))).toEqual([]);
  });
});

describe("the runner", () => {
  const night = () =>
    dunkel<{ files: string[] }>("simulate", "--subs", "4", "--seed", "2", "--size", "220x180", "--out", at("night"));

  test("its own stacks in the same folder are named and left aside: nothing is counted twice", () => {
    const subs = night().files.map((name) => at("night", name));
    const stack = at("night", "stack.fits");
    const first = dunkel<{ integrationS: number; leftAside: unknown[] }>("stack", ...subs, "--out", stack);
    expect(first.leftAside).toEqual([]);
    const all = readdirSync(at("night"))
      .filter((name) => name.endsWith(".fits") && !name.startsWith("truth"))
      .map((name) => at("night", name));
    const again = dunkel<{ integrationS: number; leftAside: { file: string; reason: string }[] }>(
      "stack",
      ...all,
      "--out",
      at("second.fits"),
    );
    expect(again.integrationS).toBe(first.integrationS);
    expect(
      again.leftAside.map(({ file, reason }) => [file.slice(at("night").length + 1), reason.split(",")[0]]),
    ).toEqual([
      ["stack.a.fits", "is half of a stack"],
      ["stack.b.fits", "is half of a stack"],
      ["stack.coverage.fits", "is the coverage of a stack"],
      ["stack.fits", "is a stack"],
      ["stack.rejected-by-sub.fits", "is the coverage of a stack"],
      ["stack.rejected.fits", "is the coverage of a stack"],
    ]);
    const alone = endOf("grade", stack, "--out", at("g.csv"));
    expect(alone.status).toBe(1);
    expect(alone.stderr).toContain("is a stack, by its header");
  });

  test("no command writes over what it reads; a missing input and a folder that cannot be written to end it at once", () => {
    const [a, b] = night().files.map((name) => at("night", name));
    const before = readFileSync(a);
    writeFileSync(at("chain.json"), JSON.stringify({ format: "dunkel-chain", version: 1, name: "x", steps: [] }));
    for (const args of [
      ["stack", a, b, "--out", a],
      ["stack", a, "--dark", b, "--out", b],
      ["stack", a, "--flat", b, "--out", b],
      ["master", "--kind", "bias", a, b, "--out", b],
      ["process", a, "--chain", at("chain.json"), "--out", at("chain.json")],
      ["calibrate", a, "--out-dir", at("night")],
      ["convert", a, "--out", a],
      ["grade", a, b, "--out", a],
    ]) {
      const { status, stderr } = endOf(...args);
      expect([args[0], status]).toEqual([args[0], 1]);
      expect(stderr).toContain("would take the place of");
    }
    expect(Buffer.compare(readFileSync(a), before)).toBe(0);
    const missing = endOf("stack", a, at("nowhere.fits"), "--out", at("s.fits"));
    expect([missing.status, missing.stderr]).toEqual([1, expect.stringContaining("nowhere.fits: no such file")]);
    // What lies beside the result is replaced where it was made here, and nothing else is.
    writeFileSync(at("mine.a.fits"), "not a picture");
    const beside = endOf("stack", a, b, "--out", at("mine.fits"));
    expect([beside.status, beside.stderr]).toEqual([1, expect.stringContaining("mine.a.fits: is there already")]);
    expect(readFileSync(at("mine.a.fits"), "utf8")).toBe("not a picture");
    const half = at("night", "stack.a.fits");
    expect(endOf("stack", a, b, half, "--out", at("night", "stack.fits")).stderr).toContain("would take the place of");
    if (process.getuid?.() !== 0) {
      mkdirSync(at("locked"));
      chmodSync(at("locked"), 0o500);
      expect(endOf("convert", a, "--out", at("locked", "x.fits")).stderr).toContain("cannot be written");
    }
    expect(endOf("toString").status).toBe(2);
    expect(existsSync(at("s.fits"))).toBe(false);
  });
});

test("a blob is written part by part, and a part that does not come is asked for again, three times", async () => {
  const bytes = Uint8Array.from({ length: 9 * 2 ** 20 + 5 }, (_, i) => i % 251);
  let asked = 0;
  const slow = (silent: number): Blob => {
    const blob = new Blob([bytes]);
    const slice = blob.slice.bind(blob);
    blob.slice = (from, to) => {
      const part = slice(from, to);
      if (asked++ < silent) part.arrayBuffer = () => new Promise(() => undefined);
      return part;
    };
    return blob;
  };
  const parts: Uint8Array[] = [];
  for await (const part of partsOf(slow(2), 5)) parts.push(part);
  expect(parts.map(({ length }) => length)).toEqual([4 * 2 ** 20, 4 * 2 ** 20, 2 ** 20 + 5]);
  expect(Buffer.compare(Buffer.concat(parts), bytes)).toBe(0);
  expect(asked).toBe(5);
  asked = 0;
  await expect(partsOf(slow(3), 5).next()).rejects.toThrow("could not be read");
});
