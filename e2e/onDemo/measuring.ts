import { By, Key } from "selenium-webdriver";
import type { Session } from "../driver";
import { choose, click, cropsRest, see, textOf, waitFor } from "../driver";
import { boardOf } from "./board";

/** Equal noise, a grid of two settings, evidence, the table of measures. */
export function measuringLanes(session: () => Session): void {
  const { body, lane, pick, type, cells } = boardOf(session);
  test("two approaches are set to equal noise as one change", async () => {
    const { driver } = session();
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
    const { driver } = session();
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
    await click(driver, "Undo (Ctrl Z)"); // the values of before; the ladder stays closed
    await cropsRest(driver);
    expect([await cells(), Number(await value("Strength"))]).toEqual([12, 1]);
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
    await click(driver, "Undo (Ctrl Z)");
    await cropsRest(driver);
  });

  test("evidence: what an overdone deconvolution shows is measured from what the data hold", async () => {
    const { driver } = session();
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
    // The same setting has the same figures whatever was set between, and after a reload.
    const figures = async () => {
      await settled();
      return textOf(driver, "[data-testid=evidence-panel]");
    };
    const first = await figures();
    expect(first).not.toMatch(/NaN|undefined/);
    await body("e");
    const strength = await (await see(driver, "input[aria-label='Strength, number']")).getAttribute("value");
    await type("Strength", "0.5");
    await body("e");
    await waitFor(driver, "other figures", async () => (await figures()) !== first);
    await driver.actions().keyDown(Key.CONTROL).sendKeys("z").keyUp(Key.CONTROL).perform();
    await waitFor(driver, "the figures of before", async () => (await figures()) === first);
    await driver.navigate().refresh();
    await waitFor(driver, "the same after a reload", async () => (await figures()) === first, 120_000);
    // Each rung of a ladder has its marks.
    await body("e");
    expect(await (await see(driver, "input[aria-label='Strength, number']")).getAttribute("value")).toBe(strength);
    await click(driver, "Ladder of strength: see several values side by side");
    await click(driver, "Show ladder");
    await cropsRest(driver);
    await body("e");
    const marked = () =>
      driver.executeScript<number>(
        "return [...document.querySelectorAll('[data-cell]')].filter((e) => e.querySelector('[data-evidence-shown]')).length",
      );
    await waitFor(driver, "marks on all rungs", async () => (await marked()) === (await cells()), 120_000);
    expect(await cells()).toBe(12);
    await body("e");
    await click(driver, "Close ladder");
    await body("e");
    await settled();
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
    await waitFor(
      driver,
      "the whole",
      async () => /Error against held-out data\s[\d.]+ σ/.test(await whole()),
      120_000,
    );
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

  test("the table of measures: the best of each, sorted by any", async () => {
    const { driver } = session();
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
}
