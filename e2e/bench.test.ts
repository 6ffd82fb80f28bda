import { readFileSync } from "node:fs";
import { By, Key } from "selenium-webdriver";
import type { Session } from "./driver";
import {
  choose,
  click,
  cropsRest,
  downloaded,
  openBrowser,
  openDemo,
  press,
  see,
  tabTo,
  textOf,
  waitFor,
} from "./driver";

/** The bench on the demo's board of four lanes: layouts, equal noise, a grid of two settings, evidence, a blind trial, the sheet. */
const url = process.env.DUNKEL_URL ?? "";
let session: Session;
beforeAll(async () => {
  session = await openBrowser(url);
  await session.driver.get(url);
  await openDemo(session.driver);
}, 400_000);
afterAll(() => session.quit());

const body = async (...keys: string[]) => (await session.driver.findElement(By.css("body"))).sendKeys(...keys);
const lane = async (letter: string) => (await see(session.driver, `[data-lane=${letter}] button`)).click();
const pick = async (label: string, option: string) => {
  await click(session.driver, label);
  await see(session.driver, "[role=option]");
  await (await session.driver.findElement(By.xpath(`//*[@role='option'][normalize-space(.)="${option}"]`))).click();
};
const type = async (label: string, value: string) =>
  (await see(session.driver, `input[aria-label='${label}, number']`)).sendKeys(
    Key.chord(Key.CONTROL, "a"),
    value,
    Key.ENTER,
  );
const cells = async () => (await session.driver.findElements(By.css("[data-cell]"))).length;

test("layouts by key: one spot, one lane, panels folded away and back", async () => {
  const { driver } = session;
  await lane("B");
  await body("s");
  await waitFor(driver, "four lanes at one spot", async () => (await cells()) === 4);
  await cropsRest(driver);
  await driver
    .actions()
    .move({ origin: await see(driver, "[data-cell] [role=img]") })
    .perform();
  await waitFor(driver, "values under the pointer", async () =>
    /ADU · [\d.]+″ off · -?[\d.]+ σ/.test(await textOf(driver, "[data-testid=readout]")),
  );
  expect((await driver.findElements(By.css("[data-testid=readout]"))).length).toBe(4);
  const width = () =>
    driver.executeScript<number>("return document.querySelector('[data-cell] [role=img]').clientWidth");
  const before = await width();
  await body("q", "w");
  await waitFor(driver, "more room", async () => (await width()) > before + 100);
  await body("q", "w", "l");
  await waitFor(driver, "one lane at three spots", async () => (await cells()) === 3);
  expect(await driver.executeScript("return document.querySelector('[data-cell]').dataset.cell[0]")).toBe("B");
  const crop = await see(driver, "[data-cell] [role=img]");
  await driver.actions().keyDown(Key.SHIFT).dragAndDrop(crop, { x: 60, y: 20 }).keyUp(Key.SHIFT).perform();
  await waitFor(
    driver,
    "a profile",
    async () => ((await (await see(driver, "[data-profile=B]")).getAttribute("d"))?.length ?? 0) > 100,
  );
  await click(driver, "Close the profile");
  await driver.actions().keyDown("v").perform();
  await see(driver, "[aria-label$=', before the step']");
  await driver.actions().keyUp("v").perform();
  await body("m");
  await waitFor(driver, "the matrix", async () => (await cells()) === 12);
});

test("whole pictures with a loupe, noise in false colour, levels of a lane's own, lanes in another order and in groups", async () => {
  const { driver } = session;
  await body("o");
  await waitFor(driver, "four whole pictures", async () => (await cells()) === 4);
  await cropsRest(driver, 120_000);
  await driver
    .actions()
    .move({ origin: await see(driver, "[data-cell='A:whole']"), x: -50, y: 20 })
    .click()
    .perform();
  await waitFor(
    driver,
    "a loupe in every lane",
    async () => (await driver.findElements(By.css("[data-testid^=loupe-][data-pending=false]"))).length === 4,
    60_000,
  );
  const spots = () => driver.executeScript<number>("return document.querySelectorAll('[data-spot]').length");
  const before = await spots();
  await click(driver, "Make a spot of this place");
  await waitFor(driver, "one spot more", async () => (await spots()) === before + 1);
  await click(driver, "Undo (Ctrl Z)");
  await body("m");
  await cropsRest(driver);
  const panel = () => see(driver, "[data-testid=shown-panel] button");
  await (await panel()).click();
  await pick("What of the crops is shown", "noise in false colour");
  await (await driver.findElement(By.xpath("//label[contains(., 'levels of its own for lane B')]//input"))).click();
  await (await panel()).click();
  await cropsRest(driver, 120_000);
  expect(await textOf(driver, "[data-testid=shown-line]")).toMatch(/Noise left.*lane B is shown by levels of its own/s);
  // Of the untouched lane's noise more is bright than of the mixture's.
  const bright = (letter: string) =>
    driver.executeScript<number>(
      "const c = document.querySelector(`[data-cell^='${arguments[0]}:'] canvas`); const p = c.getContext('2d').getImageData(0, 0, c.width, c.height).data; let s = 0; for (let i = 0; i < p.length; i += 4) s += p[i] + p[i + 1] + p[i + 2]; return s / p.length;",
      letter,
    );
  expect(await bright("A")).toBeGreaterThan(1.5 * (await bright("B")));
  await (await panel()).click();
  await pick("What of the crops is shown", "colours");
  await (await panel()).click();
  await click(driver, "Undo (Ctrl Z)");
  const order = () =>
    driver.executeScript<string>(
      "return [...document.querySelectorAll('[data-lane]')].map((e) => e.dataset.lane).join('')",
    );
  expect(await order()).toBe("ABCD");
  // With the keys, as for the mouse.
  const grip = await see(driver, "[aria-label='Drag lane A to another place']");
  await driver.actions().sendKeys(Key.ESCAPE).perform();
  await driver.executeScript("arguments[0].focus()", grip);
  for (const key of [Key.SPACE, Key.ARROW_RIGHT, Key.SPACE]) {
    await driver.actions().sendKeys(key).perform();
    await new Promise((resolve) => setTimeout(resolve, 400));
  }
  await waitFor(driver, "the lanes' new order", async () => (await order()) === "BACD");
  await click(driver, "Undo (Ctrl Z)");
  await waitFor(driver, "the old order", async () => (await order()) === "ABCD");
  await lane("B");
  await (await see(driver, "[aria-label='Group of lane B']")).sendKeys("calm");
  await pick("Lanes that are shown", "calm");
  await waitFor(driver, "one lane", async () => (await order()) === "B");
  await pick("Lanes that are shown", "all lanes");
  for (let k = 0; k < 2 && (await driver.findElements(By.css("[aria-label='Lanes that are shown']"))).length > 0; k++)
    await click(driver, "Undo (Ctrl Z)");
  await cropsRest(driver);
});

test("two lanes over each other: a line between them that is dragged, and their difference", async () => {
  const { driver } = session;
  await body("p");
  await cropsRest(driver);
  const clip = () =>
    driver.executeScript<string>("return document.querySelector('[data-cell] canvas').parentElement.style.clipPath");
  const before = await clip();
  const handle = await see(driver, "[aria-label='Line between the two lanes']");
  await driver.actions().dragAndDrop(handle, { x: -150, y: 0 }).perform();
  await waitFor(driver, "the line moves", async () => (await clip()) !== before);
  await handle.sendKeys(Key.ARROW_RIGHT);
  await pick("How they are compared", "as a difference");
  await cropsRest(driver);
  // B takes noise away: the difference to the untouched A is that noise.
  const sigma = async () => Number(/σ ([\d.]+) ADU/.exec(await textOf(driver, "[data-testid=difference-bar]"))?.[1]);
  await waitFor(driver, "its σ", async () => (await sigma()) > 1);
  await pick("How they are compared", "side by side at a line");
  await body("m");
  await cropsRest(driver);
});

test("two approaches are set to equal noise as one change", async () => {
  const { driver } = session;
  await body("n");
  await pick("What they are made equal to", "dB of the stack's");
  await type("Decibels to reach", "-9");
  await click(driver, "Set the strengths");
  await see(driver, "[data-testid=equal-result]", 90_000);
  const told = await textOf(driver, "[data-testid=equal-result]");
  const wanted = Number(/wanted ([\d.]+) ADU/.exec(told)?.[1]);
  const reached = [...told.matchAll(/([BD]) strength [\d.]+: [\d.]+ ADU → ([\d.]+) ADU/g)];
  expect(reached.map(([, letter]) => letter)).toEqual(["B", "D"]);
  // 1 %, and what two digits round away.
  for (const [, , value] of reached) expect(Math.abs(Number(value) / wanted - 1)).toBeLessThan(0.016);
  await cropsRest(driver);
  await click(driver, "Undo (Ctrl Z)");
  await waitFor(driver, "undone", async () => !(await textOf(driver, "[data-lane=D]")).includes("Mixture 0."));
  await body("n");
});

test("a grid of two settings, and the choice of a rung", async () => {
  const { driver } = session;
  await lane("B");
  const ladder = async (label: string, from: string, to: string, rungs: string) => {
    await click(driver, `Ladder of ${label}: see several values side by side`);
    await type("Ladder from", from);
    await type("Ladder to", to);
    await type("Rungs", rungs);
  };
  await ladder("strength", "0.3", "0.9", "3");
  await click(driver, "Show ladder");
  await ladder("keep detail", "0.1", "0.5", "3");
  await click(driver, "As rows");
  await waitFor(driver, "nine rungs", async () => (await cells()) === 9);
  await cropsRest(driver);
  const keeps = await driver.findElements(By.xpath("//button[normalize-space(.)='Keep']"));
  await keeps[5].click(); // the second row's last: strength .9, keep detail .3
  await cropsRest(driver);
  const value = (label: string) =>
    driver
      .findElement(By.css(`[data-step='noise.mixture'] input[aria-label='${label}, number']`))
      .getAttribute("value");
  expect([Number(await value("Strength")), Number(await value("Keep detail"))]).toEqual([0.9, 0.3]);
  await click(driver, "Undo (Ctrl Z)"); // the ladder is there again
  await see(driver, "[data-testid=ladder-least]", 90_000);
  await click(driver, "Close ladder");
  await ladder("strength", "0.1", "1", "4");
  await click(driver, "Show ladder");
  await see(driver, "[data-testid=ladder-least]", 90_000);
  // The mixture at its defaults: all of the strength has the least error, as the halves show.
  const [least] = /[\d.]+/.exec(await textOf(driver, "[data-testid=ladder-least]")) ?? [];
  expect(least).toBe("1");
  // Around one spot the halves show another error than around all.
  const errors = () =>
    driver.executeScript<number[]>(
      "return [...document.querySelectorAll('[data-rung] [data-error]')].map((e) => Number(e.dataset.error))",
    );
  const around = await errors();
  await choose(driver, "Where the error is told", "Star group");
  await waitFor(driver, "errors of one spot", async () => (await errors()).some((v, k) => v !== around[k]));
  expect((await errors()).length).toBe(4);
  await choose(driver, "Where the error is told", "all spots");
  expect(await errors()).toEqual(around);
  await click(driver, `Set to ${least}`);
  await cropsRest(driver);
  expect(Number(await value("Strength"))).toBe(1);
  expect((await driver.findElements(By.css("[data-rung]"))).length).toBe(0);
  for (let k = 0; k < 2; k++) await click(driver, "Undo (Ctrl Z)");
  await cropsRest(driver);
});

test("evidence: what an overdone deconvolution shows is measured from what the data hold", async () => {
  const { driver } = session;
  await lane("B");
  await body("e");
  const shares = () =>
    driver.executeScript<number[]>(
      "return ['kept', 'doubtful', 'notInData'].map((s) => Number(document.querySelector(`[data-standing=${s}] .figures`).textContent))",
    );
  const settled = () =>
    waitFor(
      driver,
      "evidence",
      async () => (await driver.findElements(By.css("[data-testid=evidence-panel] [data-stale=false]"))).length > 0,
      90_000,
    );
  await settled();
  const [kept] = await shares();
  expect(kept).toBeGreaterThan(5);
  // Of the noise at 1 px noise reduction leaves little, and too many iterations make more of it.
  const finest = async () => Number(await textOf(driver, "svg[aria-label='Noise left by size of detail'] g text"));
  expect(await finest()).toBeLessThan(0.6);
  expect((await driver.findElements(By.css("[data-star=kept]"))).length).toBeGreaterThan(0);
  // Of the whole picture: stopped it is as before; begun again it goes on while the panel is away.
  const whole = () => textOf(driver, "[data-testid=whole-evidence]");
  await click(driver, "The whole picture");
  await waitFor(driver, "its progress", async () => /Whole picture: \d+ %/.test(await whole()));
  await click(driver, "Stop");
  await waitFor(driver, "that it stopped", async () => (await whole()) === "The whole picture");
  await click(driver, "The whole picture");
  await body("e");
  await body("e");
  await waitFor(driver, "the whole", async () => /Error against held-out data\s[\d.]+ σ/.test(await whole()), 120_000);
  await body("e");
  // A lane that only sharpens: what would be a hundred plain iterations, as sharp as they come.
  await lane("A");
  await click(driver, "Add a step");
  await see(driver, "[role=menuitem]");
  await (await driver.findElement(By.xpath("//*[@role='menuitem'][contains(., 'Richardson–Lucy')]"))).click();
  await type("Iterations", "34");
  await type("Smoothness", "0");
  await (await see(driver, "[data-setting=shown] input, [data-setting=shown] [role=checkbox]")).click();
  await cropsRest(driver, 120_000);
  await body("e");
  await settled();
  const [, doubtful, none] = await shares();
  expect(await finest()).toBeGreaterThan(1.5);
  expect(doubtful + none).toBeGreaterThan(0);
  await body("e");
  for (let k = 0; k < 4; k++) await click(driver, "Undo (Ctrl Z)");
  await cropsRest(driver);
});

test("a blind trial to its end, kept in the journal", async () => {
  const { driver } = session;
  const spot = () =>
    driver.executeScript<string>(
      "return document.querySelector('[aria-label^=\"Show spot\"][aria-pressed=true]').ariaLabel",
    );
  const before = await spot();
  await click(driver, "Blind trial: lanes against one another without their names");
  await see(driver, "[data-testid=blind-start]");
  for (const letter of ["C", "D"])
    await (
      await driver.findElement(By.css(`[data-testid=blind-start] [aria-label='Lane ${letter} takes part']`))
    ).click();
  await type("Times each pair is shown", "1");
  await click(driver, "Begin");
  for (let k = 1; k <= 3; k++) {
    await waitFor(driver, `pair ${k}`, async () =>
      (await textOf(driver, "[data-testid=blind-round]")).includes(`${k} of 3`),
    );
    await cropsRest(driver);
    // Nothing says which lane is which.
    expect(await textOf(driver, "[data-testid=blind-round]")).not.toMatch(/Mixture|Untouched/);
    await body("jkl"[k - 1]);
  }
  const outcome = await textOf(driver, "[data-testid=blind-outcome]");
  expect(outcome).toMatch(/[012] : [012]/);
  await click(driver, "Export the choices");
  const choices = readFileSync(await downloaded(session, "blind-trial.csv"), "utf8")
    .trim()
    .split("\r\n");
  expect(choices.length).toBe(4);
  expect(choices[2]).toMatch(/^2,.*,[AB],[AB],no difference$/);
  await click(driver, "Close");
  expect(await textOf(driver, "[data-testid=verdict]")).toContain("Journal");
  expect(await spot()).toBe(before);
});

test("with keys alone: another lane, and one of its levers down and up", async () => {
  const { driver } = session;
  const keys = (...pressed: string[]) => press(driver, ...pressed);
  const chord = (held: string, key: string) => driver.actions().keyDown(held).sendKeys(key).keyUp(held).perform();
  const selected = () =>
    driver.executeScript<string>(
      "return document.querySelector('[data-lane] button[aria-pressed=true]').closest('[data-lane]').dataset.lane",
    );
  await lane("A");
  await driver.executeScript("document.activeElement.blur()");
  await chord(Key.SHIFT, Key.ARROW_RIGHT);
  await waitFor(driver, "lane B", async () => (await selected()) === "B");
  await tabTo(driver, "Strength");
  const value = () =>
    driver.executeScript<number>("return Number(document.activeElement.getAttribute('aria-valuenow'))");
  const before = await value();
  await keys(Key.ARROW_LEFT);
  await waitFor(driver, "a lower strength", async () => (await value()) < before);
  await keys(Key.ARROW_RIGHT);
  await waitFor(driver, "the strength before", async () => (await value()) === before);
});

test("a verdict by keys alone, and a sheet that holds crops, measures, chains and verdict by itself", async () => {
  const { driver } = session;
  const keys = (...pressed: string[]) => press(driver, ...pressed);
  await driver.executeScript("document.activeElement.blur()");
  await tabTo(driver, "Best lane: Over all");
  await keys(Key.ENTER);
  await see(driver, "[role=option]");
  // The list goes to what was typed a moment later.
  await keys("B");
  await waitFor(driver, "B is marked", () =>
    driver.executeScript<boolean>(
      "return document.activeElement.getAttribute('role') === 'option' && document.activeElement.textContent.includes('B')",
    ),
  );
  await keys(Key.ENTER);
  await waitFor(driver, "the verdict", async () => (await textOf(driver, "[data-testid=verdict]")).includes("B"));
  await tabTo(driver, "Note to the verdict");
  await keys("calm & <clean>");
  await tabTo(driver, "Export the sheet");
  await keys(Key.ENTER);
  const html = readFileSync(await downloaded(session, "sheet.html", 150_000), "utf8");
  expect(html.match(/<img src="data:image\/png;base64,/g)?.length).toBe(12);
  expect(html).toContain("lane B is best");
  expect(html).toContain("calm &amp; &lt;clean&gt;");
  expect(html).toContain("Blind trial of 3 pairs");
  expect(html).toContain("&quot;operation&quot;: &quot;noise.mixture&quot;");
  expect(html).not.toMatch(/(src|href)="http/);
  expect(html).toContain("Every choice (A ");
  await click(driver, "As PNG");
  const png = readFileSync(await downloaded(session, "sheet.png", 60_000));
  expect(png.subarray(1, 4).toString()).toBe("PNG");
  // Four crops of 256 px beside one another at least, three rows and a table.
  expect(png.readUInt32BE(16)).toBeGreaterThan(1024);
  expect(png.readUInt32BE(20)).toBeGreaterThan(1500);
});

test("the table of measures: the best of each, sorted by any", async () => {
  const { driver } = session;
  await body("t");
  await see(driver, "[data-testid=measures][data-left='0']", 150_000);
  const noise = async (letter: string) => Number(await textOf(driver, `[data-row='${letter}'] [data-measure=noise]`));
  expect(await noise("B")).toBeLessThan(0.7 * (await noise("A")));
  await (await driver.findElement(By.xpath("//th/button[starts-with(., 'Noise left')]"))).click();
  const first = () => driver.executeScript<string>("return document.querySelector('[data-row]').dataset.row");
  expect(["B", "D"]).toContain(await first());
  // How deep rings are stands under the crops of lanes that sharpen.
  const figures = (letter: string) =>
    driver.executeScript<string>(
      "return [...document.querySelectorAll(`[data-cell^='${arguments[0]}:']`)].map((e) => e.innerText).join(' ')",
      letter,
    );
  await waitFor(driver, "rings of lane D", async () => /ring\s[\d.]+/.test(await figures("D")), 60_000);
  expect(await figures("B")).not.toContain("ring");
  await body("t");
});
