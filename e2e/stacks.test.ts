import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { By } from "selenium-webdriver";
import type { FitsCard } from "@/core/formats";
import { bytesOfArray, openFits, valueOf, writeFits } from "@/core/formats";
import { wholeRegion } from "@/core/raster";
import type { Session } from "./driver";
import {
  click,
  consoleProblems,
  cropsRest,
  named,
  openBrowser,
  screenshot,
  see,
  textOf,
  waitFor,
  choose as chooseOf,
} from "./driver";

/** Several stacks of one project: a filter each in one go, a prepared list, side by side, joined into colour, deleted and brought back. */
const url = process.env.DUNKEL_URL ?? "";
const folder = mkdtempSync(join(tmpdir(), "dunkel-stacks-"));
const files: string[] = [];
let session: Session;
/** Pictures of what is seen on the way, where they are wanted. */
const look = async (name: string) => {
  const into = process.env.DUNKEL_LOOK;
  if (into) await screenshot(session.driver, join(into, `${name}.png`));
};

beforeAll(async () => {
  const args = ["scripts/dunkel.mjs", "simulate", "--subs", "4", "--seed", "31", "--size", "360x280", "--out", folder];
  execFileSync(process.execPath, args, { stdio: "ignore" });
  for (let k = 1; k <= 4; k++) {
    const bytes = bytesOfArray("sub.fits", new Uint8Array(readFileSync(join(folder, `weir-00${k}.fits`))));
    const frame = valueOf(await openFits(bytes));
    const { planes, width, height } = await frame.read(wholeRegion(frame));
    planes.forEach((plane, c) => {
      const path = join(folder, `${"RGB".charAt(c)}-${k}.fits`);
      const cards: FitsCard[] = [
        ["FILTER", "RGB".charAt(c)],
        ["EXPTIME", 60],
      ];
      writeFileSync(path, writeFits({ width, height, channels: 1, sample: "uint16", cards }, [plane]));
      files.push(path);
    });
  }
  session = await openBrowser(url);
});
afterAll(async () => {
  await session.quit();
  rmSync(folder, { recursive: true, force: true });
});

const shelf = () => session.driver.findElements(By.css("ul[aria-label=Stacks] > li"));
const shelved = (count: number) =>
  waitFor(session.driver, `${count} stacks`, async () => (await shelf()).length === count, 120_000);
const choose = (label: string, option: string) => chooseOf(session.driver, label, option);

const tickFilters = async () => {
  const { driver } = session;
  const words = "//*[normalize-space(.)='One stack for each of 3 filters'][self::label or self::button or self::span]";
  await waitFor(driver, "the filters", async () => (await driver.findElements(By.xpath(words))).length > 0);
  await (await driver.findElement(By.xpath(words))).click();
};

test("a stack for each filter is made in one go, all on the pixels of one reference", async () => {
  const { driver } = session;
  await driver.get(url);
  await (await see(driver, "input[aria-label='Name of the new project']")).sendKeys("Three filters");
  await click(driver, "New project");
  await waitFor(driver, "empty Subs", async () => (await textOf(driver, "main")).includes("Drop your frames here"));
  await (await driver.findElement(By.css("[data-testid=choose-files]"))).sendKeys(files.join("\n"));
  await waitFor(
    driver,
    "twelve subs",
    async () => (await textOf(driver, "nav a[aria-current=page]")) === "Subs 12 of 12",
    90_000,
  );
  await driver.findElement(By.partialLinkText("Stack")).click();
  await tickFilters();
  await look("filters");
  await click(driver, "Make the stack");
  await waitFor(driver, "others wait", async () =>
    (await textOf(driver, "[data-testid=waiting]")).includes("Stack 1 G"),
  );
  await look("waiting");
  await shelved(3);
  const texts = await Promise.all((await shelf()).map((card) => card.getText()));
  expect(texts.every((text) => text.startsWith("4 subs · 4 min"))).toBe(true);
}, 240_000);

test("stacks are prepared as a list, taken off it, and made one after the other", async () => {
  const { driver } = session;
  await tickFilters();
  await choose("Weights", "all alike");
  await click(driver, "Prepare for later");
  await choose("Drizzle", "twice as fine");
  await click(driver, "Prepare for later");
  await click(driver, "Prepare for later");
  const waiting = () => textOf(driver, "[data-testid=waiting]");
  expect(await waiting()).toMatch(
    /weights: all alike, not by noise and sharpness, scale by scale; drizzle: twice as fine, not none/,
  );
  expect((await driver.findElements(named("Take off"))).length).toBe(3);
  await (await driver.findElements(named("Take off")))[2].click();
  await waitFor(driver, "two wait", async () => (await driver.findElements(named("Take off"))).length === 2);
  await look("prepared");
  // The list is kept with the project.
  await driver.navigate().refresh();
  await waitFor(driver, "two still wait", async () => (await driver.findElements(named("Take off"))).length === 2);
  await click(driver, "Make all 2");
  await shelved(5);
  await look("drizzled");
  const report = await textOf(driver, "[data-testid=stack-report]");
  expect(report).toContain("drizzling");
  expect(report).toMatch(/Drops on a pixel vary by\s+\d+ %/);
}, 240_000);

test("side by side the table says what differs; a sub's residuals are shown, a note is kept", async () => {
  const { driver } = session;
  await click(driver, "Side by side");
  const table = await textOf(driver, "[data-testid=stack-table]");
  expect(table).toContain("Gain over one sub");
  expect(table).toContain("720 × 560 px");
  expect(table).toContain("Their sizes differ");
  await look("table");
  await click(driver, "Back to the picture");
  const names = await driver.findElements(By.css("[data-testid=stack-report] button[aria-expanded]"));
  await names[1].click();
  const map = await driver.findElements(By.css("[data-testid=residuals] svg, [data-testid=no-residuals]"));
  expect(map.length).toBe(1);
  await driver.executeScript("arguments[0].scrollIntoView({ block: 'center' })", map[0]);
  await look("residuals");
  // What was rejected of that sub, over the picture.
  expect(await textOf(driver, "[data-testid=stack-report]")).toMatch(/Rejected: [\d.]+ % of its pixels above/);
  const rejected = await driver.findElement(By.xpath("//button[starts-with(normalize-space(.), 'Rejected of ')]"));
  await rejected.click();
  await waitFor(
    driver,
    "the map of what was rejected",
    async () => (await driver.findElements(By.css("[data-testid=rejected-map][data-ready=true]"))).length === 1,
  );
  const painted = await driver.executeScript<number>(`
    const canvas = document.querySelector("[data-testid=rejected-map]");
    const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
    return data.filter((v, i) => i % 4 === 3 && v > 0).length;`);
  expect(painted).toBeGreaterThan(0);
  await look("rejected-of-sub");
  const note = await driver.findElement(By.css("[data-testid=stack-report] textarea"));
  await note.sendKeys("sharper in the corners");
  await click(driver, "Side by side");
  expect(await textOf(driver, "[data-testid=stack-table]")).toContain("sharper in the corners");
  await click(driver, "Back to the picture");
});

test("three stacks are joined into colour with weights; a deleted stack is brought back", async () => {
  const { driver } = session;
  await click(driver, "Join into colour");
  for (const [channel, filter] of [
    ["red", "R"],
    ["green", "G"],
    ["blue", "B"],
  ])
    // Proposed by their filters, though they lie on the shelf in another order.
    expect(await textOf(driver, `[aria-label="Stack for ${channel}"]`)).toBe(`Stack 1 ${filter}`);
  await choose("Stack for luminance", "Stack 1 R");
  await choose("Stack for luminance", "none");
  await look("join");
  await click(driver, "Join");
  await shelved(6);
  expect(await textOf(driver, "[data-testid=stack-report]")).toContain("joined from stacks");
  await look("joined");
  const last = (await shelf())[5];
  await last.findElement(By.xpath(".//button[normalize-space(.)='Delete']")).click();
  await shelved(5);
  await click(driver, "Undo");
  await shelved(6);
}, 120_000);

test("a copy at half the scale is a stack with halves, and says what it is of", async () => {
  const { driver } = session;
  await click(driver, "Copy it");
  await shelved(7);
  const report = await textOf(driver, "[data-testid=stack-report]");
  expect(report).toContain("Colour 1 at 50 %");
  expect(report).toMatch(/copied at 50 %, means of whole pixels/);
  expect(report).toMatch(/180 × 140 px/);
  await look("copy");
}, 60_000);

test("a step takes its blur from the stars of another lane's stack, half as wide at half the scale", async () => {
  const { driver } = session;
  await (await driver.findElement(By.xpath("//nav//a[contains(., 'Compare')]"))).click();
  await cropsRest(driver);
  const item = async (words: string) =>
    (await driver.findElement(By.xpath(`//*[@role='menuitem'][contains(., '${words}')]`))).click();
  const width = async () => Number(/([\d.]+) px/.exec(await textOf(driver, "[data-testid=typed-kernel]"))?.[1]);
  // The first lane once more, of the copy at half the scale.
  await click(driver, "More of lane A");
  await item("Colour 1 at 50 %");
  await waitFor(driver, "a lane more", async () => (await driver.findElements(By.css("[data-lane=E]"))).length === 1);
  expect(await textOf(driver, "[data-testid=unequal]")).toContain("lane E is of another stack, “Colour 1 at 50 %”");
  await (await see(driver, "[data-lane=E] button")).click();
  await click(driver, "Add a step");
  await item("Inverse, noise gated");
  await choose("Blur", "taken from elsewhere");
  await waitFor(driver, "it says that there is none", async () =>
    (await textOf(driver, "[data-testid=idle]")).includes("No blur was taken yet"),
  );
  await choose("Take the blur from the stars of another lane's stack", "lane A");
  await waitFor(driver, "it is taken", async () =>
    (await textOf(driver, "[data-testid=kept-blur]")).includes("Taken from the stars of"),
  );
  await waitFor(driver, "it works", async () => (await driver.findElements(By.css("[data-testid=idle]"))).length === 0);
  await cropsRest(driver);
  // Stars of 2.9 px there.
  expect(await width()).toBeGreaterThan(1.2);
  expect(await width()).toBeLessThan(1.8);
  await look("taken-blur");
  expect(await consoleProblems(driver)).toEqual([]);
}, 150_000);
