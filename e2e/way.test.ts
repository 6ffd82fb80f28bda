import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { decode } from "fast-png";
import { By, Key } from "selenium-webdriver";
import { bytesOfArray, openFits, valueOf } from "@/core/formats";
import { robustSpread, wholeRegion } from "@/core/raster";
import type { Session } from "./driver";
import { click, consoleProblems, cropsRest, downloaded, named, openBrowser, see, textOf, waitFor } from "./driver";
import { greysAt, secondReader } from "./pictures";

/** The whole way of a person with files: import, a broken file among good ones, stop, stack, compare, export, reload. */
const url = process.env.DUNKEL_URL ?? "";
const folder = mkdtempSync(join(tmpdir(), "dunkel-e2e-"));
let session: Session;

beforeAll(async () => {
  const args = ["scripts/dunkel.mjs", "simulate", "--subs", "7", "--seed", "23", "--size", "360x280", "--out", folder];
  execFileSync(process.execPath, args, { stdio: "ignore" });
  writeFileSync(join(folder, "broken.fits"), "this is not a FITS file, but its name says so".padEnd(6000, "."));
  session = await openBrowser(url);
});
afterAll(async () => {
  await session.quit();
  rmSync(folder, { recursive: true, force: true });
});

const subs = (from: number, to: number) =>
  Array.from({ length: to - from + 1 }, (_, k) => join(folder, `weir-00${from + k}.fits`));
const choose = async (css: string, paths: string[]) =>
  (await session.driver.findElement(By.css(css))).sendKeys(paths.join("\n"));
const includedText = () => textOf(session.driver, "nav a[aria-current=page]");

test("an empty project says what to do; screens before their time do too", async () => {
  const { driver } = session;
  await driver.get(url);
  await (await see(driver, "input[aria-label='Name of the new project']")).sendKeys("Two nights");
  await click(driver, "New project");
  await waitFor(driver, "empty Subs", async () => (await textOf(driver, "main")).includes("Drop your frames here"));
  expect(await textOf(driver, "[data-testid=project-name]")).toBe("Two nights");
  await click(driver, "Compare");
  await waitFor(driver, "empty Compare", async () => (await textOf(driver, "main")).includes("Nothing to compare yet"));
  await click(driver, "Finish");
  await waitFor(driver, "empty Finish", async () => (await textOf(driver, "main")).includes("Nothing to finish yet"));
  await click(driver, "Subs");
});

test("dropped files come in and are measured; the broken one is named, the others go on", async () => {
  const { driver } = session;
  await waitFor(driver, "Subs again", async () => (await textOf(driver, "main")).includes("Drop your frames here"));
  await choose("[data-testid=choose-files]", [...subs(1, 3), join(folder, "broken.fits"), ...subs(4, 7)]);
  await waitFor(driver, "seven subs", async () => (await includedText()) === "Subs 7 of 7", 60_000);
  const refused = await textOf(driver, "[data-testid=refused]");
  expect(refused).toContain("broken.fits: byte 0");
  expect(refused).toContain("Save the frame as FITS, TIFF or PNG");
  expect((await driver.findElements(By.css("[role=row][data-sub]"))).length).toBe(7);
  // The same file again is refused, and nothing else happens.
  await choose("[data-testid=choose-files]", subs(1, 1));
  await waitFor(driver, "told twice", async () =>
    (await textOf(driver, "[data-testid=refused]")).includes("in the project already"),
  );
  await click(driver, "Dismiss");
  expect(await includedText()).toBe("Subs 7 of 7");
});

test("subs are graded by key and by click, sorted, and a point of the chart chooses one", async () => {
  const { driver } = session;
  const body = await driver.findElement(By.css("body"));
  const current = () => textOf(driver, "[data-testid=current-sub]");
  expect(await current()).toContain("weir-001");
  await body.sendKeys(Key.ARROW_RIGHT);
  await waitFor(driver, "next sub", async () => (await current()).includes("weir-002"));
  await body.sendKeys("o");
  await waitFor(driver, "left out", async () => (await includedText()) === "Subs 6 of 7");
  expect(await current()).toContain("left out");
  await body.sendKeys("o");
  await waitFor(driver, "taken in", async () => (await includedText()) === "Subs 7 of 7");
  await (await driver.findElement(By.css("input[aria-label='Include weir-005.fits']"))).click();
  await waitFor(driver, "left out by click", async () => (await includedText()) === "Subs 6 of 7");
  await (await driver.findElement(By.xpath("//*[@role='columnheader']/button[starts-with(., 'FWHM')]"))).click();
  const first = () => driver.executeScript<string>("return document.querySelector('[role=row][data-sub]').dataset.sub");
  const sharpest = await first();
  await (await driver.findElement(By.xpath("//*[@role='columnheader']/button[starts-with(., 'FWHM')]"))).click();
  await waitFor(driver, "sorted down", async () => (await first()) !== sharpest);
  expect(await first()).toBe("weir-004.fits"); // the defocused one
  const point = await driver.findElement(By.css("[data-point='weir-007.fits']"));
  await driver.actions().move({ origin: point }).click().perform();
  await waitFor(driver, "chosen in the chart", async () => (await current()).includes("weir-007"));
});

test("a stack can be stopped, and made again with other settings", async () => {
  const { driver } = session;
  await click(driver, "Stack");
  await click(driver, "Make the stack");
  await see(driver, "[data-testid=stacking]");
  const started = Date.now();
  await click(driver, "Stop");
  await waitFor(driver, "stopped", async () => (await driver.findElements(named("Make the stack"))).length === 1, 3000);
  expect(Date.now() - started).toBeLessThan(1500);
  expect((await driver.findElements(By.css("[data-testid=stack-report]"))).length).toBe(0);
  await click(driver, "Make the stack");
  const report = await see(driver, "[data-testid=stack-report]", 90_000);
  const text = await report.getText();
  expect(text).toContain("5 of 6"); // the defocused sub is left out
  expect(text).toMatch(/weir-004\.fits FWHM [\d.]+ px is above the limit/);
  expect(text).toMatch(/Samples rejected\s+[01]\.\d+ %/); // with the trail that was taken out whole
  expect(text).toContain("beyond the expected noise");
  await click(driver, "Coverage");
  await click(driver, "Picture");
});

test("Compare shows four lanes at three spots; a setting changes the crops and the figures, undo takes it back", async () => {
  const { driver } = session;
  await driver.findElement(By.partialLinkText("Compare")).click();
  await cropsRest(driver);
  expect((await driver.findElements(By.css("[data-cell]"))).length).toBe(12);
  const pixelsOf = (cell: string) =>
    driver.executeScript<string>(`return document.querySelector('[data-cell="${cell}"] canvas').toDataURL()`);
  const spots = await driver.executeScript<string[]>(
    "return [...document.querySelectorAll('[data-spot]')].map((e) => e.dataset.spot)",
  );
  expect(spots.length).toBe(3);
  const [a, b] = [`A:${spots[0]}`, `B:${spots[0]}`];
  const [untouched, before] = [await pixelsOf(a), await pixelsOf(b)];
  expect(before).not.toBe(untouched);
  const field = await see(driver, "[data-step='noise.mixture'] input[aria-label='Strength, number']");
  await field.sendKeys(Key.chord(Key.CONTROL, "a"), "0.9", Key.ENTER);
  await waitFor(driver, "crop follows", async () => (await pixelsOf(b)) !== before);
  expect(await pixelsOf(a)).toBe(untouched);
  await waitFor(driver, "header follows", async () => (await textOf(driver, "[data-lane=B]")).includes("0.9"));
  await cropsRest(driver);
  await waitFor(driver, "figures", async () => /σ [\d.]+ ADU/.test(await textOf(driver, `[data-cell="${b}"]`)));
  await click(driver, "Undo (Ctrl Z)");
  await waitFor(driver, "undone", async () => (await pixelsOf(b)) === before);
  await click(driver, "Redo (Ctrl Shift Z)");
  await waitFor(driver, "redone", async () => (await textOf(driver, "[data-lane=B]")).includes("0.9"));
  await driver.findElement(By.css("body")).click();
  await driver.actions().keyDown("b").perform();
  await waitFor(driver, "held before", async () => (await pixelsOf(b)) === untouched);
  await driver.actions().keyUp("b").perform();
  await waitFor(driver, "released", async () => (await pixelsOf(b)) !== untouched);
});

test("crops zoom and move together; spots are dragged, named and added", async () => {
  const { driver } = session;
  const sizes = () =>
    driver.executeScript<number[]>("return [...document.querySelectorAll('[data-cell] canvas')].map((c) => c.width)");
  const wide = Math.max(...(await sizes()));
  await driver.findElement(By.css("body")).sendKeys("4");
  await waitFor(driver, "8:1 in all", async () => (await sizes()).every((w) => w < wide / 2));
  await driver.findElement(By.css("body")).sendKeys("2");
  await cropsRest(driver);
  const lefts = () =>
    driver.executeScript<string[]>(
      "return [...document.querySelectorAll('[data-cell] canvas')].map((c) => c.toDataURL())",
    );
  const still = await lefts();
  const cell = await driver.findElement(By.css("[data-cell] [role=img]"));
  await driver.actions().move({ origin: cell }).press().move({ origin: cell, x: 60, y: 30 }).release().perform();
  await cropsRest(driver);
  await waitFor(driver, "all moved", async () => (await lefts()).every((pixels, i) => pixels !== still[i]));
  await click(driver, "Back to the spots");
  await waitFor(driver, "all back", async () => (await lefts()).every((pixels, i) => pixels === still[i]));
  const spot = await driver.findElement(By.css("[data-spot]"));
  await driver.actions().move({ origin: spot }).press().move({ origin: spot, x: 25, y: 12 }).release().perform();
  await waitFor(driver, "first row moved", async () => (await lefts()).some((pixels, i) => pixels !== still[i]));
  await click(driver, "Add a spot in the middle of the picture");
  await waitFor(driver, "a fourth row", async () => (await driver.findElements(By.css("[data-cell]"))).length === 16);
  const name = (await driver.findElements(By.css("input[aria-label='Name of the spot']")))[3];
  await name.sendKeys(Key.chord(Key.CONTROL, "a"), "Bright core", Key.ENTER);
  await see(driver, "[data-spot='Bright core']");
  await click(driver, "Remove spot Bright core");
  await waitFor(driver, "three rows", async () => (await driver.findElements(By.css("[data-cell]"))).length === 12);
});

test("chains are edited: add, switch off, reorder, blend; lanes are duplicated; a ladder is opened and a rung kept", async () => {
  const { driver } = session;
  await (await driver.findElement(By.css("[data-lane=D] button"))).click();
  const steps = () =>
    driver.executeScript<string[]>("return [...document.querySelectorAll('[data-step]')].map((e) => e.dataset.step)");
  await waitFor(driver, "chain of D", async () => (await steps()).length === 2);
  await click(driver, "Add a step");
  await see(driver, "[role=menuitem]");
  await (await driver.findElement(By.xpath("//*[@role='menuitem'][contains(., 'Arcsinh stretch')]"))).click();
  await waitFor(driver, "three steps", async () => (await steps()).length === 3);
  const handles = await driver.findElements(By.css("[aria-label='Drag to another place in the chain']"));
  await driver
    .actions()
    .move({ origin: handles[1] })
    .press()
    .move({ origin: handles[1], y: -40, duration: 150 })
    .move({ origin: handles[0], y: -6, duration: 250 })
    .pause(150)
    .release()
    .perform();
  await waitFor(driver, "reordered", async () => (await steps())[0] === "noise.mixture");
  await (await driver.findElement(By.css("[aria-label='Arcsinh stretch on']"))).click();
  await waitFor(driver, "switched off", async () => !(await textOf(driver, "[data-lane=D]")).includes("Arcsinh"));
  await click(driver, "Remove Arcsinh stretch");
  await click(driver, "Duplicate lane D");
  await waitFor(driver, "lane E", async () => (await driver.findElements(By.css("[data-lane]"))).length === 5);
  await click(driver, "Remove lane E");
  await waitFor(driver, "four lanes", async () => (await driver.findElements(By.css("[data-lane]"))).length === 4);
  await (await driver.findElement(By.css("[data-lane=B] button"))).click();
  await click(driver, "Ladder of strength: see several values side by side");
  await see(driver, "[data-testid=ladder-form]");
  await click(driver, "Show ladder");
  await cropsRest(driver);
  const keeps = await driver.findElements(named("Keep"));
  expect(keeps.length).toBe(4);
  await keeps[0].click();
  await waitFor(driver, "lanes again", async () => (await driver.findElements(By.css("[data-lane]"))).length === 4);
  expect(await textOf(driver, "[data-lane=B]")).toContain("0.45"); // the lowest rung: half of 0.9
});

test("starting points set the strength; the halves show what it leaves and which is best, and a click sets that", async () => {
  const { driver } = session;
  const strength = async () =>
    (await see(driver, "[data-step='noise.mixture'] input[aria-label='Strength, number']")).getAttribute("value");
  const before = await strength();
  await click(driver, "Keep the grain");
  await waitFor(driver, "begun anew", async () => (await strength()) === "0.67");
  const figure = () => textOf(driver, "[data-testid=strength-figure]");
  await waitFor(driver, "the curve", async () => /leaves −\d+\.\d dB/.test(await figure()), 60_000);
  const best = /best (\d\.\d\d)/.exec(await figure())?.[1];
  if (!best) throw new Error(`no best strength in ${await figure()}`);
  const left = await figure();
  await click(driver, `best ${best}`);
  await waitFor(driver, "set", async () => (await strength()) === best && (await figure()) !== left);
  await click(driver, "Undo (Ctrl Z)");
  await click(driver, "Undo (Ctrl Z)");
  await waitFor(driver, "as before", async () => (await strength()) === before);
});

test("sky patches lie on the crops with the noise in them; moved they are the step's own, and its noise is measured from them", async () => {
  const { driver } = session;
  await click(driver, "Show the sky patches and the noise in them");
  const panel = () => textOf(driver, "[data-testid=sky-panel]");
  await waitFor(driver, "the readout", async () => /before[\s\d.]+after/.test(await panel()), 60_000);
  expect(await panel()).toMatch(/as found.*from the halves/s);
  const before = await panel();
  const patch = await see(driver, "[data-testid=spot-map] [aria-label='Sky patch 1']");
  await patch.sendKeys(Key.ARROW_UP, Key.ARROW_UP);
  await waitFor(driver, "its own", async () => !(await panel()).includes("as found"));
  await (await see(driver, "button[aria-label='Where the noise is told from']")).click();
  await (await driver.findElement(By.xpath("//*[@role='option'][.='sky patches']"))).click();
  await waitFor(driver, "told", async () => (await panel()).includes("takes from the sky patches"), 60_000);
  for (let k = 0; k < 3; k++) await click(driver, "Undo (Ctrl Z)");
  await waitFor(driver, "as before", async () => (await panel()) === before, 60_000);
  await click(driver, "Hide the sky patches");
});

test("a step acts in a mask that is drawn: inside as before, outside the untouched stack; it is shown on every crop", async () => {
  const { driver } = session;
  await cropsRest(driver);
  const spot = await driver.executeScript<string>("return document.querySelector('[data-spot]').dataset.spot");
  const cells = () => driver.findElements(By.css(`[data-cell$=":${spot}"] [role=img]`));
  const greys = (dx: number, dy: number) => greysAt(driver, spot, dx, dy);
  const [before] = await greys(0, 0);
  expect((await greys(0, 0))[1]).not.toBe(before);
  await click(driver, "Mask");
  await see(driver, "[role=menuitem]");
  await (await driver.findElement(By.xpath("//*[@role='menuitem'][contains(., 'Ellipse')]"))).click();
  await see(driver, "[data-drawing=true]");
  const [, cell] = await cells();
  await driver
    .actions()
    .move({ origin: cell })
    .press()
    .move({ origin: cell, x: 18, y: 12 })
    .move({ origin: cell, x: 30, y: 30 })
    .release()
    .perform();
  const feather = await see(driver, "[data-mask-part=ellipse] input[aria-label='Feather, number']");
  await feather.sendKeys(Key.chord(Key.CONTROL, "a"), "0", Key.ENTER);
  // The crop before the mask was treated everywhere: only both together say that the mask has come.
  await waitFor(driver, "outside untouched, inside treated", async () => {
    const [a, b] = await greys(55, 0);
    const [p, q] = await greys(0, 0);
    return a === b && p !== q;
  });
  expect((await driver.findElements(By.css("[data-cell] [data-mask-shown=true]"))).length).toBe(12);
  // A handle moves it, the other way round frees its inside; two undos bring both back.
  const handle = await driver.findElement(By.css(`[data-cell="B:${spot}"] [data-handle="0"]`));
  await driver.actions().move({ origin: handle }).press().move({ origin: handle, x: 40 }).release().perform();
  await waitFor(driver, "moved", async () => {
    const [p, q] = await greys(-20, 0);
    return p === q;
  });
  await click(driver, "Undo (Ctrl Z)");
  await (await driver.findElement(By.xpath("//label[contains(., 'the other way round')]/input"))).click();
  await waitFor(driver, "inside untouched", async () => {
    const [p, q] = await greys(0, 0);
    return p === q;
  });
  await click(driver, "Undo (Ctrl Z)");
  await click(driver, "Close the mask");
  await waitFor(driver, "closed", async () => (await driver.findElements(By.css("[data-mask-shown]"))).length === 0);
  // Another lane takes the same mask; deleting it frees both.
  await (await driver.findElement(By.css("[data-lane=C] button"))).click();
  await (await see(driver, "button[aria-label='Where the step acts']")).click();
  await (await driver.findElement(By.xpath("//*[@role='option'][contains(., 'in Ellipse')]"))).click();
  await click(driver, "Open the mask Ellipse: shown on all crops");
  await waitFor(driver, "shared", async () => (await textOf(driver, "[data-testid=mask-editor]")).includes("2 steps"));
  await click(driver, "Delete the mask Ellipse");
  await waitFor(driver, "freed", async () => (await textOf(driver, "[data-setting=mask]")).includes("everywhere"));
  await (await driver.findElement(By.css("[data-lane=B] button"))).click();
});

test("a reload brings everything back at the same place", async () => {
  const { driver } = session;
  await cropsRest(driver);
  await new Promise((resolve) => setTimeout(resolve, 400)); // the board is saved a moment after the last change
  const state = () =>
    driver.executeScript<string>(
      "return JSON.stringify([...document.querySelectorAll('[data-lane] button[aria-pressed],[data-spot]')].map((e) => [e.textContent, e.style.left, e.style.top]))",
    );
  const before = await state();
  await driver.navigate().refresh();
  await cropsRest(driver);
  expect(await state()).toBe(before);
  expect(await driver.getCurrentUrl()).toMatch(/\/compare$/);
  await driver.get(url);
  await (await see(driver, "main li a")).click();
  await cropsRest(driver);
  expect(await state()).toBe(before);
});

test("Finish renders a lane and exports FITS, PNG and the chain; other readers accept them", async () => {
  const { driver } = session;
  await click(driver, "Finish");
  await (await see(driver, "ul[aria-label='Lane to finish'] li:nth-child(2) button")).click();
  await click(driver, "Render lane B");
  await see(driver, "[data-testid=rendered]", 60_000);
  await click(driver, "FITS, 32-bit float");
  const fitsPath = await downloaded(session, ".fits");
  const frame = valueOf(await openFits(bytesOfArray("out.fits", new Uint8Array(readFileSync(fitsPath)))));
  expect([frame.width, frame.height, frame.channels, frame.bitpix]).toEqual([360, 280, 3, -32]);
  expect(frame.header.history.join("")).toContain("noise.mixture");
  const raster = await frame.read(wholeRegion(frame));
  expect(robustSpread(raster.planes[0]).centre).toBeGreaterThan(0.005);
  expect(secondReader(readFileSync(fitsPath))).toEqual({
    axes: [360, 280, 3],
    bitpix: -32,
    dataBytes: 360 * 280 * 3 * 4,
  });
  await click(driver, "PNG, 16-bit");
  const png = decode(readFileSync(await downloaded(session, "16bit.png")), { checkCrc: true });
  expect([png.width, png.height, png.depth, png.channels]).toEqual([360, 280, 16, 3]);
  await click(driver, "PNG, 8-bit");
  expect(decode(readFileSync(await downloaded(session, "8bit.png")), { checkCrc: true }).depth).toBe(8);
  await click(driver, "Chain, JSON");
  const chain = JSON.parse(readFileSync(await downloaded(session, "chain.json"), "utf8")) as {
    steps: { params: { strength: number } }[];
  };
  expect(chain.steps[0].params.strength).toBe(0.45);
});

test("a chain is imported into a lane; one that is no chain is refused by name", async () => {
  const { driver } = session;
  await driver.findElement(By.partialLinkText("Compare")).click();
  await cropsRest(driver);
  await (await driver.findElement(By.css("[data-lane=A] button"))).click();
  const bad = join(folder, "bad.json");
  writeFileSync(bad, JSON.stringify({ format: "dunkel-chain", version: 1, steps: [{ operation: "noise.starlet" }] }));
  await choose("[data-testid=choose-chain]", [bad]);
  await waitFor(driver, "refused chain", async () =>
    (await textOf(driver, "aside[aria-label=Chain] [role=alert]")).includes("bad.json: steps.0"),
  );
  await choose("[data-testid=choose-chain]", [await downloaded(session, "chain.json")]);
  await waitFor(driver, "imported", async () => (await textOf(driver, "[data-lane=A]")).includes("Mixture 0.45"));
});

test("a step with a network gets its weights and its code at its first use, from this server alone", async () => {
  const { driver } = session;
  const toy = join(folder, "toy.json");
  const network = { operation: "network.toy", version: 1, params: {}, channels: "each", blend: 1, on: true };
  writeFileSync(toy, JSON.stringify({ format: "dunkel-chain", version: 3, steps: [network] }));
  const shown = () =>
    driver.executeScript<string>("return document.querySelector('[data-cell^=\"A:\"] canvas').toDataURL()");
  const before = await shown();
  await choose("[data-testid=choose-chain]", [toy]);
  await waitFor(driver, "imported", async () => (await textOf(driver, "[data-lane=A]")).includes("Toy"));
  await cropsRest(driver);
  expect(await textOf(driver, "main")).not.toMatch(/toy-network|could not be loaded/);
  await waitFor(driver, "another picture", async () => (await shown()) !== before);
  const headers = (await fetch(`${url}/assets/toy-network.bin`)).headers;
  expect(headers.get("cross-origin-resource-policy")).toBe("same-origin");
  expect(headers.get("content-security-policy")).toContain("default-src 'self'");
});

test("? labels the controls in place and lists the keys; Escape closes it", async () => {
  const { driver } = session;
  await driver.findElement(By.css("body")).sendKeys("?");
  const help = await see(driver, "[role=dialog][aria-label='What is what']");
  const text = await help.getText();
  expect(text).toContain("untouched stack in every crop");
  expect(text).toContain("Copies the step to other lanes");
  // Compare has more controls than labels have room: what says in words what it does has a tooltip.
  expect(text).not.toContain("Adds an operation at the end of the chain");
  expect(text).toContain("is told where the pointer rests on it");
  const add = await driver.findElement(By.css("[data-help^='Adds an operation at the end of the chain']"));
  expect((await add.getText()).trim()).toBe("Add a step");
  await driver.findElement(By.css("body")).sendKeys(Key.ESCAPE);
  await waitFor(driver, "closed", async () => (await driver.findElements(By.css("[role=dialog]"))).length === 0);
});

test("a stack in use is not deleted; a project is, and comes back with undo", async () => {
  const { driver } = session;
  await driver.findElement(By.partialLinkText("Stack")).click();
  await click(driver, "Delete");
  await waitFor(driver, "kept", async () => (await textOf(driver, "main")).includes("use this stack"));
  await driver.get(url);
  await click(driver, "Delete “Two nights”");
  await waitFor(driver, "gone", async () => (await driver.findElements(By.css("main li a"))).length === 0);
  await click(driver, "Undo");
  await waitFor(driver, "back", async () => (await textOf(driver, "main")).includes("Two nights"));
});

test("the console held no warning and no error", async () => {
  expect(await consoleProblems(session.driver)).toEqual([]);
});
