import { readFileSync } from "node:fs";
import { By, Key } from "selenium-webdriver";
import type { Session } from "../driver";
import { click, cropsRest, downloaded, press, see, tabTo, textOf, waitFor } from "../driver";
import { boardOf } from "./board";

/** A blind trial, a lane and its lever by keys, a verdict and the sheet. */
export function decidingOnLanes(session: () => Session): void {
  const { body, lane, type } = boardOf(session);
  test("a blind trial to its end, kept in the journal", async () => {
    const { driver } = session();
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
    const choices = readFileSync(await downloaded(session(), "blind-trial.csv"), "utf8")
      .trim()
      .split("\r\n");
    expect(choices.length).toBe(4);
    expect(choices[2]).toMatch(/^2,.*,[AB],[AB],no difference$/);
    await click(driver, "Close");
    expect(await textOf(driver, "[data-testid=verdict]")).toContain("Journal");
    expect(await spot()).toBe(before);
  });

  test("with keys alone: another lane, and one of its levers down and up", async () => {
    const { driver } = session();
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
    const { driver } = session();
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
    const html = readFileSync(await downloaded(session(), "sheet.html", 150_000), "utf8");
    expect(html.match(/<img src="data:image\/png;base64,/g)?.length).toBe(12);
    expect(html).toContain("lane B is best");
    expect(html).toContain("calm &amp; &lt;clean&gt;");
    expect(html).toContain("Blind trial of 3 pairs");
    expect(html).toContain("&quot;operation&quot;: &quot;noise.mixture&quot;");
    expect(html).not.toMatch(/(src|href)="http/);
    expect(html).toContain("Every choice (A ");
    await click(driver, "As PNG");
    const png = readFileSync(await downloaded(session(), "sheet.png", 60_000));
    expect(png.subarray(1, 4).toString()).toBe("PNG");
    // Four crops of 256 px beside one another at least, three rows and a table.
    expect(png.readUInt32BE(16)).toBeGreaterThan(1024);
    expect(png.readUInt32BE(20)).toBeGreaterThan(1500);
  });
}
