import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { basename, join } from "node:path";
import { gzipSync } from "node:zlib";
import { By, Key } from "selenium-webdriver";
import type { Session } from "./driver";
import { click, consoleProblems, openBrowser, see, textOf, waitFor } from "./driver";

/** One sub in every still format, damaged files among them, and what is done with metadata that a format does not carry. */
const url = process.env.DUNKEL_URL ?? "";
const folder = mkdtempSync(join(tmpdir(), "dunkel-e2e-formats-"));
let session: Session;

const dunkel = (...args: string[]) =>
  execFileSync(process.execPath, ["scripts/dunkel.mjs", ...args], { stdio: ["ignore", "pipe", "ignore"] });
const at = (name: string) => join(folder, name);

beforeAll(async () => {
  dunkel("simulate", "--subs", "2", "--seed", "17", "--size", "320x240", "--out", folder);
  const original = at("weir-001.fits");
  dunkel("convert", original, "--out", at("sub.tif"));
  dunkel("convert", original, "--out", at("sub.png"));
  dunkel("convert", original, "--out", at("float.tif"), "--sample", "float32");
  const bytes = readFileSync(original);
  writeFileSync(at("sub.fits.gz"), gzipSync(bytes));
  writeFileSync(at("cut.fits"), bytes.subarray(0, bytes.length / 2));
  writeFileSync(at("cut.png"), readFileSync(at("sub.png")).subarray(0, 4000));
  writeFileSync(at("empty.tif"), "");
  session = await openBrowser(url);
});
afterAll(async () => {
  await session.quit();
  rmSync(folder, { recursive: true, force: true });
});

const GOOD = ["weir-001.fits", "sub.tif", "sub.png", "float.tif", "sub.fits.gz"];
const BAD = ["cut.fits", "cut.png", "empty.tif"];
const cell = (name: string, column: number) =>
  session.driver.executeScript<string>(
    `return document.querySelector('[data-sub="${name}"]').querySelectorAll('.figures')[${column}].textContent`,
  );

test("the same sub in five formats is measured alike; three damaged files are named with what is wrong", async () => {
  const { driver } = session;
  await driver.get(url);
  await (await see(driver, "input[aria-label='Name of the new project']")).sendKeys("Formats");
  await click(driver, "New project");
  await waitFor(driver, "empty", async () => (await textOf(driver, "main")).includes("Drop your frames here"));
  const chooser = await driver.findElement(By.css("[data-testid=choose-files]"));
  expect(await chooser.getAttribute("accept")).toContain(".ser");
  await chooser.sendKeys([...GOOD.slice(0, 2), ...BAD, ...GOOD.slice(2)].map(at).join("\n"));
  await waitFor(driver, "five subs", async () => (await textOf(driver, "nav")).includes("Subs 5 of 5"), 60_000);
  await waitFor(
    driver,
    "all are through",
    async () => (await driver.findElements(By.css("[data-testid=running]"))).length === 0,
  );
  const refused = await textOf(driver, "[data-testid=refused]");
  for (const name of BAD) expect(refused).toContain(name);
  expect(refused).toMatch(/cut\.fits: .*expected .*found /s);
  expect(refused).toMatch(/empty\.tif: .*an empty file/s);
  const fwhm = await cell(GOOD[0], 0);
  expect(Number(fwhm)).toBeGreaterThan(1.5);
  for (const name of GOOD) expect([name, await cell(name, 0)]).toEqual([name, fwhm]);
  for (const name of GOOD) expect([name, await cell(name, 3)]).toEqual([name, await cell(GOOD[0], 3)]);
  await click(driver, "Dismiss");
});

test("what a format does not carry is typed in for all at once; pixel scale and FWHM in arcsec follow", async () => {
  const { driver } = session;
  await (await see(driver, "[data-sub='sub.png']")).click();
  const header = async () =>
    (await driver.findElement(By.xpath("//button[@role='radio'][normalize-space(.)='Header']"))).click();
  await header();
  await waitFor(driver, "no scale", async () => /Pixel scale [–-] arcsec/.test(await textOf(driver, "main")));
  await driver.findElement(By.xpath("//button[@role='radio'][normalize-space(.)='Choose']")).click();
  await driver.findElement(By.css("body")).sendKeys(Key.chord(Key.CONTROL, "a"));
  await waitFor(driver, "all selected", async () => (await textOf(driver, "main")).includes("5 selected"));
  await header();
  await waitFor(driver, "five", async () => (await textOf(driver, "main")).includes("5 selected frames"));
  for (const [label, value] of [
    ["Pixel size", "4,2"], // a comma is a decimal point to many
    ["Focal length", "540"],
    ["Exposure", "120"],
  ])
    await (await see(driver, `input[aria-label='${label}']`)).sendKeys(Key.chord(Key.CONTROL, "a"), value, Key.ENTER);
  await waitFor(driver, "scale", async () => (await textOf(driver, "main")).includes("Pixel scale 1.604 arcsec/px"));
  const bad = await see(driver, "input[aria-label='Gain']");
  await bad.sendKeys(Key.chord(Key.CONTROL, "a"), "lots");
  expect(await bad.getAttribute("aria-invalid")).toBe("true");
  await bad.sendKeys(Key.TAB); // leaving does not drop the text in silence
  expect(await textOf(driver, "#fault-gain")).toContain("Gain must be a number");
  await bad.sendKeys(Key.ESCAPE);
  expect((await driver.findElements(By.css("#fault-gain"))).length).toBe(0);
  expect(await textOf(driver, "[data-testid=included]")).toContain("10 min"); // 5 × 120 s
  await driver.findElement(By.xpath("//button[@role='radio'][normalize-space(.)='Choose']")).click();
  await click(driver, "Columns of the table");
  await driver.findElement(By.xpath("//*[@role='menuitemcheckbox'][contains(., 'FWHM on the sky')]")).click();
  await driver.findElement(By.xpath("//*[@role='menuitemcheckbox'][contains(., 'small pictures')]")).click();
  await driver.actions().sendKeys(Key.ESCAPE).perform();
  const [px, arcsec] = [Number(await cell("sub.png", 0)), Number(await cell("sub.png", 1))];
  expect(arcsec / px).toBeCloseTo(1.604, 1);
  await waitFor(
    driver,
    "small pictures are drawn",
    async () =>
      driver.executeScript<boolean>(
        "const c = [...document.querySelectorAll('[data-sub] canvas')]; return c.length === 5 && c.every((e) => e.width > 10)",
      ),
    30_000,
  );
});

test("a file dropped on the screen comes in, and its header is that of the file before it was unpacked", async () => {
  const { driver } = session;
  const bytes = readFileSync(at("weir-002.fits")).toString("base64");
  await driver.executeScript(
    `const bytes = Uint8Array.from(atob(arguments[0]), (c) => c.charCodeAt(0));
     const data = new DataTransfer();
     data.items.add(new File([bytes], arguments[1]));
     document.querySelector("main > div, main").querySelector(":scope > div, :scope")
       .dispatchEvent(new DragEvent("drop", { bubbles: true, cancelable: true, dataTransfer: data }));`,
    bytes,
    basename(at("weir-002.fits")),
  );
  await waitFor(driver, "six subs", async () => (await textOf(driver, "nav")).includes("Subs 6 of 6"), 30_000);
  await (await see(driver, "[data-sub='sub.fits.gz']")).click();
  await driver.findElement(By.xpath("//button[@role='radio'][normalize-space(.)='Header']")).click();
  await (await see(driver, "input[aria-label='Search the header']")).sendKeys("harrow");
  await waitFor(driver, "card", async () =>
    (await textOf(driver, "[data-testid=header-panel]")).includes("Harrow Fen"),
  );
});

test("the console held no warning and no error", async () => {
  expect(await consoleProblems(session.driver)).toEqual([]);
});
