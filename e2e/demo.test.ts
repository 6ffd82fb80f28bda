import { By, Key } from "selenium-webdriver";
import type { Session } from "./driver";
import { click, consoleProblems, cropsRest, openBrowser, tabTo, textOf, waitFor } from "./driver";
import { blurOfStars } from "./onDemo/blur";
import { decidingOnLanes } from "./onDemo/deciding";
import { measuringLanes } from "./onDemo/measuring";
import { speedOfCrops } from "./onDemo/speed";
import { viewsOfLanes } from "./onDemo/views";

/** The demo from the shelf to the comparison, and all that is done with its board: it is made once. */
const url = process.env.DUNKEL_URL ?? "";
let session: Session;
beforeAll(async () => {
  session = await openBrowser(url);
});
afterAll(() => session.quit());

test("the demo, begun by keys, makes its project, shows what it does, and lands on Compare with five lanes at three spots", async () => {
  const { driver } = session;
  await driver.get(url);
  const started = Date.now();
  await tabTo(driver, "Open the demo");
  await driver.actions().sendKeys(Key.ENTER).perform();
  await waitFor(driver, "progress is shown", async () =>
    (await textOf(driver, "[data-testid=running]")).includes("Receiving and measuring"),
  );
  await waitFor(driver, "Stack", async () => (await driver.getCurrentUrl()).endsWith("/stack"), 200_000);
  await waitFor(driver, "Compare", async () => (await driver.getCurrentUrl()).endsWith("/compare"), 200_000);
  await cropsRest(driver);
  process.stdout.write(`demo: ${((Date.now() - started) / 1000).toFixed(1)} s from the click to all crops\n`);
  expect((await driver.findElements(By.css("[data-lane]"))).length).toBe(5);
  expect((await driver.findElements(By.css("[data-cell]"))).length).toBe(15);
  expect(await textOf(driver, "nav")).toContain("Subs 22 of 22");
  // The order of the two can be judged: either comes first in one lane.
  expect(await textOf(driver, "[data-lane=D]")).toContain("Stars apart 1 → Mixture 1");
  expect(await textOf(driver, "[data-lane=E]")).toContain("Mixture 1 → Stars apart 1");
  // The others are enough for what follows.
  await click(driver, "Remove lane E");
  await cropsRest(driver);
});

const demo = () => session;
viewsOfLanes(demo);
measuringLanes(demo);
decidingOnLanes(demo);
speedOfCrops(demo);
blurOfStars(demo);

test("a demo that is interrupted by a reload goes on where it was", async () => {
  const { driver } = session;
  const names = () =>
    driver.executeScript<string[]>("return [...document.querySelectorAll('[data-sub]')].map((e) => e.dataset.sub)");
  await driver.get(url);
  await click(driver, "Open the demo");
  await waitFor(driver, "some subs", async () => (await names()).length >= 2, 60_000);
  const before = await names();
  await driver.navigate().refresh();
  await waitFor(driver, "it goes on", async () => (await names()).length >= before.length + 2, 60_000);
  const after = await names();
  expect(new Set(after).size).toBe(after.length); // each once
  expect(after.slice(0, before.length)).toEqual(before);
  expect(await consoleProblems(driver)).toEqual([]);
});
