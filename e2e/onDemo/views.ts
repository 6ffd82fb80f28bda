import { By, Key } from "selenium-webdriver";
import type { Session } from "../driver";
import { click, cropsRest, see, textOf, waitFor } from "../driver";
import { boardOf } from "./board";

/** Layouts, whole pictures, two lanes over each other. */
export function viewsOfLanes(session: () => Session): void {
  const { body, lane, pick, cells } = boardOf(session);
  test("layouts by key: one spot, one lane, panels folded away and back", async () => {
    const { driver } = session();
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
    const { driver } = session();
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
    expect(await textOf(driver, "[data-testid=shown-line]")).toMatch(
      /Noise left.*lane B is shown by levels of its own/s,
    );
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
    const { driver } = session();
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
}
