import { By, Key } from "selenium-webdriver";
import type { Session } from "../driver";
import { click, cropsRest, see } from "../driver";

/** How fast a changed setting reaches the crops, at two sizes. */
export function speedOfCrops(session: () => Session): void {
  /** Milliseconds from the last change of a setting to the last crop that followed it, as the page counts them. */
  const latencyMs = async (): Promise<number> =>
    Number(await (await session().driver.findElement(By.css("[data-latency-ms]"))).getAttribute("data-latency-ms"));

  /** The middle of what each crop of a lane shows; a small part, since reading it takes the page's time. */
  // A ladder's rungs go by the letter of their lane too.
  const pictures = (lane: string): Promise<string[]> =>
    session().driver.executeScript<string[]>(`
    const small = new OffscreenCanvas(24, 24).getContext("2d", { willReadFrequently: true });
    return [...document.querySelectorAll("[data-cell^='${lane}'] canvas")].map((canvas) => {
      small.drawImage(canvas, canvas.width / 2 - 12, canvas.height / 2 - 12, 24, 24, 0, 0, 24, 24);
      return small.getImageData(0, 0, 24, 24).data.join();
    });`);
  test("a changed strength reaches the crops, the main thread stays free, and the time is printed", async () => {
    const { driver } = session();
    await driver.executeScript(`
    window.blocked = [];
    new PerformanceObserver((list) => list.getEntries().forEach((e) => window.blocked.push(e.duration))).observe({ type: "longtask" });
  `);
    const figures: string[] = [];
    const change = async (lane: string, css: string, values: string[]) => {
      await (await driver.findElement(By.css(`[data-lane=${lane}] button`))).click();
      for (const value of values) {
        const field = await see(driver, css);
        const before = await pictures(lane);
        await field.sendKeys(Key.chord(Key.CONTROL, "a"), value, Key.ENTER);
        await new Promise((resolve) => setTimeout(resolve, 400));
        await cropsRest(driver);
        figures.push(`${lane} ${value}: ${Math.round(await latencyMs())} ms`);
        expect(await pictures(lane)).not.toEqual(before);
      }
    };
    const round = async (shift: number): Promise<number[]> => {
      await driver.executeScript("window.blocked = []");
      const strengths = [0.7, 0.6, 0.55].map((value) => (value + shift).toFixed(2));
      await change("B", "[data-step='noise.mixture'] input[aria-label='Strength, number']", strengths);
      await change(
        "C",
        "[data-step='deconvolve.stars-apart'] input[aria-label='Iterations, number']",
        [10, 9, 10].map((value) => String(value + 100 * shift)),
      );
      return driver.executeScript<number[]>("return window.blocked");
    };
    // The rule is 50 ms, from where on the browser reports them. On two threads that two workers use
    // the page may wait for its turn, so the best of
    // three rounds counts; the bound is wide, for a machine may be slow: what is computed on the main thread takes far longer.
    let blocked = await round(0);
    for (const shift of [0.03, 0.06]) {
      if (blocked.length === 0) break;
      const again = await round(shift);
      if (Math.max(0, ...again) < Math.max(...blocked)) blocked = again;
    }
    process.stdout.write(
      `latency: ${figures.join(", ")}; long tasks: ${blocked.map(Math.round).join(", ") || "none"}\n`,
    );
    expect(Math.max(0, ...blocked)).toBeLessThan(400);
  });

  test("four lanes × three spots of 256 × 256 px: the time from a change to the last of twelve crops", async () => {
    const { driver } = session();
    const size = { width: 216 + 288 + 4 * 257, height: 44 + 33 + 37 + 56 + 3 * 293 };
    await driver.sendDevToolsCommand("Emulation.setDeviceMetricsOverride", {
      ...size,
      deviceScaleFactor: 1,
      mobile: false,
    });
    await driver.findElement(By.css("body")).sendKeys("1");
    await cropsRest(driver);
    const figures: string[] = [];
    // With a ladder open, a change of another setting of its lane renews all of its rungs: twelve crops in place.
    for (const [lane, ladder, from, to, field, values] of [
      ["B", "Ladder of strength: see several values side by side", "0.2", "0.8", "Keep detail", ["0.4", "0.45"]],
      ["C", "Ladder of iterations: see several values side by side", "6", "9", "Smoothness", ["1.5", "1.6"]],
    ] as const) {
      await (await driver.findElement(By.css(`[data-lane=${lane}] button`))).click();
      await click(driver, ladder);
      for (const [label, value] of [
        ["Ladder from", from],
        ["Ladder to", to],
      ])
        await (
          await see(driver, `input[aria-label='${label}, number']`)
        ).sendKeys(Key.chord(Key.CONTROL, "a"), value, Key.ENTER);
      await click(driver, "Show ladder");
      await cropsRest(driver);
      expect((await driver.findElements(By.css("[data-cell]"))).length).toBe(12);
      const width = await driver.executeScript<number>(
        "return document.querySelector('[data-cell] [role=img]').clientWidth",
      );
      expect(width).toBeGreaterThanOrEqual(255);
      await new Promise((resolve) => setTimeout(resolve, 2000)); // the figures under the crops come to rest too
      for (const value of values) {
        const input = await see(driver, `input[aria-label='${field}, number']`);
        const before = await pictures(lane);
        await input.sendKeys(Key.chord(Key.CONTROL, "a"), value, Key.ENTER);
        await new Promise((resolve) => setTimeout(resolve, 200));
        await cropsRest(driver);
        figures.push(`${lane} ${field} ${value}: ${Math.round(await latencyMs())} ms`);
        expect(await pictures(lane)).not.toEqual(before);
        await new Promise((resolve) => setTimeout(resolve, 1000));
      }
      await click(driver, "Close ladder");
      await cropsRest(driver);
    }
    process.stdout.write(`12 crops of 256² anew: ${figures.join(", ")}\n`);
  });
}
