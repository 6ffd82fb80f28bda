import { By, Key } from "selenium-webdriver";
import type { Session } from "./driver";
import { click, cropsRest, named, openBrowser, screenshot, see, textOf, waitFor } from "./driver";

/** Fresh pictures for docs/screenshots, from the demo; runs only for `npm run screenshots`. */
const url = process.env.DUNKEL_URL ?? "";
let session: Session;
beforeAll(async () => {
  session = await openBrowser(url);
});
afterAll(() => session.quit());

const rest = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

test("every main view", async () => {
  const { driver } = session;
  const take = (name: string) => screenshot(driver, `docs/screenshots/${name}.png`);
  await driver.get(url);
  await waitFor(driver, "Compare", async () => (await driver.getCurrentUrl()).endsWith("/compare"), 120_000);
  await cropsRest(driver);
  await waitFor(driver, "figures", async () => !(await textOf(driver, "main")).includes("measuring"), 60_000);
  await take("compare");
  await click(driver, "Ladder of strength: see several values side by side");
  await click(driver, "Show ladder");
  await cropsRest(driver);
  await waitFor(driver, "figures", async () => !(await textOf(driver, "main")).includes("measuring"), 60_000);
  await take("compare-ladder");
  await click(driver, "Close ladder");
  await cropsRest(driver);
  await driver.findElement(By.css("body")).sendKeys("?");
  await see(driver, "[role=dialog]");
  await take("compare-help");
  await driver.findElement(By.css("body")).sendKeys(Key.ESCAPE);
  for (const stage of ["Subs", "Stack", "Finish"]) {
    await driver.findElement(By.partialLinkText(stage)).click();
    await rest(2500);
    if (stage === "Finish") {
      await click(driver, "Render lane B");
      await see(driver, "[data-testid=rendered]", 60_000);
      await rest(500);
    }
    await take(stage.toLowerCase());
  }
  await driver.findElement(named("All projects")).click();
  await see(driver, "main li img");
  await rest(500);
  await take("shelf");
});
