import { By } from "selenium-webdriver";
import type { Session } from "../driver";
import { click, see, textOf, waitFor } from "../driver";

/** The stars that show the blur, and the number of iterations that is best. */
export function blurOfStars(session: () => Session): void {
  test("stars that show the blur are ringed; one that is left out on a crop shows it no more", async () => {
    const { driver } = session();
    await (await driver.findElement(By.css("[data-lane=C] button"))).click();
    await click(driver, "Show the stars that tell the blur, and the blur itself");
    const panel = () => textOf(driver, "[data-testid=psf-panel]");
    await waitFor(driver, "the PSF", async () => /FWHM \d\.\d\d ± \d\.\d\d px/.test(await panel()), 60_000);
    const stars = async () => Number(/(\d+) stars/.exec(await panel())?.[1]);
    const before = await stars();
    const rings = () => driver.findElements(By.css("[data-psf-star=in]"));
    await waitFor(driver, "rings", async () => (await rings()).length > 0);
    // A ring that lies within its cell, wherever the crops are.
    await driver.executeScript(`
    const lies = (ring) => { const a = ring.getBoundingClientRect(), b = ring.ownerSVGElement.getBoundingClientRect(); return a.left > b.left && a.right < b.right && a.top > b.top && a.bottom < b.bottom; };
    const ring = [...document.querySelectorAll("[data-psf-star=in]")].find(lies);
    ring.dispatchEvent(new MouseEvent("click", { bubbles: true }));`);
    await waitFor(
      driver,
      "left out",
      async () => (await panel()).includes("1 left out") && (await stars()) < before,
      60_000,
    );
    await click(driver, "Undo (Ctrl Z)");
    await waitFor(driver, "back", async () => (await stars()) === before, 60_000);
    await click(driver, "Hide the stars that tell the blur");
    await (await driver.findElement(By.css("[data-lane=B] button"))).click();
  });

  test("the halves show how many iterations are best, and a click sets them", async () => {
    const { driver } = session();
    await (await driver.findElement(By.css("[data-lane=A] button"))).click();
    await click(driver, "Add a step");
    await see(driver, "[role=menuitem]");
    await (await driver.findElement(By.xpath("//*[@role='menuitem'][contains(., 'Richardson–Lucy')]"))).click();
    const figure = await see(driver, "[data-testid=stopping-figure]", 60_000);
    await waitFor(driver, "a number of iterations", async () => /best\s*\d+/.test(await figure.getText()));
    const best = /best\s*(\d+)/.exec(await figure.getText())?.[1] ?? "";
    await click(driver, best);
    const value = () => driver.findElement(By.css("input[aria-label='Iterations, number']")).getAttribute("value");
    await waitFor(driver, "set", async () => (await value()) === best);
    await click(driver, "Undo (Ctrl Z)");
    await click(driver, "Undo (Ctrl Z)");
  });
}
