import { mkdirSync, writeFileSync } from "node:fs";
import { By } from "selenium-webdriver";
import type { Session } from "./driver";
import { click, cropsRest, downloaded, named, openBrowser, screenshot, see, textOf, waitFor } from "./driver";

/** Fresh pictures for docs/screenshots, from the demo; runs only for `npm run screenshots`. */
const url = process.env.DUNKEL_URL ?? "";
let session: Session;
beforeAll(async () => {
  session = await openBrowser(url);
});
afterAll(() => session.quit());

/** The picture that is on the screen, cut to the size of a card of the shelf: public/demos. */
async function takeCard(name: string): Promise<void> {
  const data = await session.driver.executeScript<string>(`
    const source = document.querySelector('[role=img] canvas');
    const card = document.createElement('canvas');
    [card.width, card.height] = [520, 320];
    const scale = Math.max(card.width / source.width, card.height / source.height);
    const [w, h] = [card.width / scale, card.height / scale];
    card.getContext('2d').drawImage(source, (source.width - w) / 2, (source.height - h) / 2, w, h, 0, 0, card.width, card.height);
    return card.toDataURL('image/png').split(',')[1];`);
  mkdirSync("public/demos", { recursive: true });
  writeFileSync(`public/demos/${name}.png`, Buffer.from(data, "base64"));
}

const rest = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

test("every main view", async () => {
  const { driver } = session;
  const take = (name: string) => screenshot(driver, `docs/screenshots/${name}.png`);
  await driver.get(url);
  await waitFor(driver, "Compare", async () => (await driver.getCurrentUrl()).endsWith("/compare"), 120_000);
  await cropsRest(driver);
  await waitFor(driver, "figures", async () => !(await textOf(driver, "main")).includes("measuring"), 150_000);
  await see(driver, "[data-testid=strength-figure]", 60_000);
  await take("compare");
  await driver.findElement(By.css("body")).sendKeys("e", "t");
  await see(driver, "[data-testid=measures][data-left='0']", 150_000);
  await waitFor(
    driver,
    "evidence",
    async () => (await driver.findElements(By.css("[data-testid=evidence-panel] [data-stale=false]"))).length > 0,
    90_000,
  );
  await rest(1000);
  await take("compare-evidence");
  await driver.findElement(By.css("body")).sendKeys("e", "t", "p");
  await cropsRest(driver);
  await rest(1000);
  await take("compare-wipe");
  await driver.findElement(By.css("body")).sendKeys("o");
  await cropsRest(driver, 120_000);
  await driver
    .actions()
    .move({ origin: await see(driver, "[data-cell='B:whole']"), x: 60, y: -20 })
    .click()
    .perform();
  await waitFor(
    driver,
    "loupes",
    async () => (await driver.findElements(By.css("[data-testid^=loupe-][data-pending=false]"))).length === 5,
    60_000,
  );
  await rest(500);
  await take("compare-whole");
  await driver.findElement(By.css("body")).sendKeys("m");
  await click(driver, "Blind trial: lanes against one another without their names");
  await click(driver, "Begin");
  await see(driver, "[data-testid=blind-round]");
  await cropsRest(driver);
  await rest(500);
  await take("compare-blind");
  await click(driver, "Stop the trial");
  await cropsRest(driver);
  await click(driver, "Ladder of strength: see several values side by side");
  await click(driver, "Show ladder");
  await click(driver, "Ladder of keep detail: see several values side by side");
  await click(driver, "As rows");
  await cropsRest(driver);
  await waitFor(driver, "figures", async () => !(await textOf(driver, "main")).includes("measuring"), 150_000);
  await see(driver, "[data-testid=ladder-least]", 150_000);
  await take("compare-ladder");
  await click(driver, "Close ladder");
  await cropsRest(driver);
  const measured = () =>
    waitFor(
      driver,
      "figures",
      async () =>
        !(await textOf(driver, "main")).includes("measuring") &&
        (await driver.findElements(By.css("[data-stale=true]"))).length === 0,
      150_000,
    );
  await measured();
  /** A lane with one step alone. */
  const only = async (lane: string, title: string) => {
    await (await driver.findElement(By.css(`[data-lane=${lane}] button`))).click();
    for (;;) {
      const [remove] = await driver.findElements(By.css("[data-step] button[aria-label^='Remove ']"));
      if (!remove) break;
      await remove.click();
      await rest(200);
    }
    await click(driver, "Add a step");
    await see(driver, "[role=menuitem]");
    await (await driver.findElement(By.xpath(`//*[@role='menuitem'][contains(., '${title}')]`))).click();
  };
  // The blur as the stars show it.
  await (await driver.findElement(By.css("[data-lane=C] button"))).click();
  await click(driver, "Show the stars that tell the blur, and the blur itself");
  await see(driver, "[data-testid=psf-panel]", 60_000);
  await rest(3000);
  await take("compare-psf");
  await click(driver, "Hide the stars that tell the blur");
  // Four ways to sharpen, at the stars.
  await click(driver, "Remove lane E");
  await driver.findElement(By.css("body")).sendKeys("4");
  for (const [lane, title] of [
    ["A", "Unsharp mask"],
    ["B", "Richardson–Lucy deconvolution"],
    ["C", "Stars and the rest"],
    ["D", "Inverse, noise gated"],
  ])
    await only(lane, title);
  await cropsRest(driver);
  await measured();
  await take("compare-sharp");
  // Four approaches to noise, each at its full strength.
  await driver.findElement(By.css("body")).sendKeys("2");
  for (const [lane, title] of [
    ["A", "Block matching"],
    ["C", "Non-local means"],
    ["D", "Total variation"],
    ["B", "Mixture noise reduction"],
  ])
    await only(lane, title);
  await cropsRest(driver);
  await measured();
  await take("compare-noise");
  // The sheet as it opens by itself.
  await click(driver, "Export the sheet");
  const sheet = await downloaded(session, "sheet.html", 150_000);
  await (await driver.findElement(By.css("[data-lane=B] button"))).click();
  // A step that acts where there is signal or a star.
  const pick = async (title: string) =>
    (await see(driver, "[role=menuitem]")) &&
    (await driver.findElement(By.xpath(`//*[@role='menuitem'][contains(., '${title}')]`))).click();
  await click(driver, "Mask");
  await pick("Signal");
  await click(driver, "Add a part");
  await pick("Stars");
  await see(driver, "[data-mask-shown=true]", 30_000);
  await rest(2500);
  await cropsRest(driver);
  await measured();
  await take("compare-masks");
  await click(driver, "Delete the mask Signal");
  for (const stage of ["Subs", "Stack", "Finish"]) {
    await driver.findElement(By.partialLinkText(stage)).click();
    await rest(2500);
    if (stage === "Finish") {
      await click(driver, "Render lane B");
      await see(driver, "[data-testid=rendered]", 60_000);
      await rest(500);
    }
    await take(stage.toLowerCase());
    if (stage === "Stack") await takeCard("night");
  }
  await driver.findElement(named("All projects")).click();
  await see(driver, "main li a img");
  await rest(500);
  await take("shelf");

  await driver.get(`file://${sheet}`);
  await take("sheet");
  await driver.get(url);

  const panel = async (label: string) =>
    (await driver.findElement(By.xpath(`//button[@role='radio'][normalize-space(.)='${label}']`))).click();
  const idle = () =>
    waitFor(
      driver,
      "nothing runs",
      async () => (await driver.findElements(By.css("[data-testid=running]"))).length === 0,
      90_000,
    );
  await click(driver, "Demo with raw frames");
  await waitFor(driver, "ten lights", async () => (await textOf(driver, "nav")).includes("Subs 10 of 10"), 120_000);
  await idle();
  await panel("Calibrate");
  await waitFor(driver, "masters", async () => (await textOf(driver, "main")).includes("over the flat"), 60_000);
  await waitFor(
    driver,
    "nothing is stale",
    async () => (await driver.findElements(By.xpath("//button[starts-with(., 'Calibrate and measure')]"))).length === 0,
    90_000,
  );
  await idle();
  await rest(4000);
  await click(driver, "Show hot pixels");
  await see(driver, "[data-testid=defects]");
  await rest(1500);
  await take("subs-calibrate");
  await driver.findElement(By.xpath("//button[contains(., '· hide')]")).click();
  await panel("Choose");
  await (await see(driver, "[data-sub='light-003.fits']")).click();
  await driver.findElement(By.css("body")).sendKeys("a", "k");
  await click(driver, "Set a limit");
  await rest(6000);
  await takeCard("raw");
  await take("subs-rules");
  await panel("Header");
  await rest(500);
  await take("subs-header");

  await driver.findElement(named("All projects")).click();
  await click(driver, "Demo with a video");
  await waitFor(driver, "frames", async () => (await textOf(driver, "nav")).includes("Subs 240 of 240"), 120_000);
  await rest(12_000);
  await takeCard("video");
  await take("subs-video");
}, 600_000);
