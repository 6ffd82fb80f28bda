import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { request } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import { By, Key, until } from "selenium-webdriver";
import type { Session } from "./driver";
import { click, consoleProblems, openBrowser, press, reload, see, textOf, waitFor } from "./driver";

/** Nothing is lost when a person leaves, reloads, or opens a second tab; every screen can be used with other means than eye and mouse. */
const url = process.env.DUNKEL_URL ?? "";
const folder = mkdtempSync(join(tmpdir(), "dunkel-e2e-robust-"));
let session: Session;
let files: string[] = [];
let stackFiles: string[] = [];

beforeAll(async () => {
  const simulate = [
    "scripts/dunkel.mjs",
    "simulate",
    "--subs",
    "14",
    "--seed",
    "3",
    "--size",
    "900x600",
    "--out",
    folder,
  ];
  const made = execFileSync(process.execPath, simulate, { stdio: ["ignore", "pipe", "ignore"] }).toString();
  files = (JSON.parse(made) as { files: string[] }).files.map((name) => join(folder, name));
  const out = join(folder, "pier.fits");
  execFileSync(process.execPath, ["scripts/dunkel.mjs", "stack", ...files.slice(0, 4), "--out", out], {
    stdio: "ignore",
  });
  stackFiles = [out, join(folder, "pier.a.fits"), join(folder, "pier.b.fits")];
  session = await openBrowser(url);
}, 180_000);
afterAll(async () => {
  await session.quit();
  rmSync(folder, { recursive: true, force: true });
});

/** Scripts of the first screen, gzipped, take no more. */
const FIRST_BYTES = 400_000;

const included = () => textOf(session.driver, "[data-testid=included]");
const running = async () => (await session.driver.findElements(By.css("[data-testid=running]"))).length > 0;

const faults: string[] = [];

/** Notes what axe-core finds of serious and critical faults on the page as it is. */
async function checkAccess(screen: string): Promise<void> {
  const { driver } = session;
  await driver.executeScript(readFileSync("node_modules/axe-core/axe.min.js", "utf8"));
  const found = await driver.executeAsyncScript<string[]>(`
    const done = arguments[arguments.length - 1];
    axe.run(document, { resultTypes: ["violations"], rules: { "target-size": { enabled: true } } }).then(({ violations }) =>
      done(violations.filter((v) => ["serious", "critical"].includes(v.impact))
        .map((v) => v.id + " × " + v.nodes.length + ": " + v.nodes.map((n) => n.target.join(" ")).join(", "))));`);
  faults.push(...found.map((fault) => `${screen}: ${fault}`));
}

test("the page is isolated, has a policy without other origins, and the first screen is light", async () => {
  const { driver } = session;
  const response = await fetch(url);
  expect(response.headers.get("cross-origin-opener-policy")).toBe("same-origin");
  expect(response.headers.get("cross-origin-embedder-policy")).toBe("require-corp");
  expect(response.headers.get("content-security-policy")).not.toMatch(/https?:/);
  await driver.get(url);
  await see(driver, "main");
  expect(await driver.executeScript("return window.crossOriginIsolated")).toBe(true);
  const loaded = await driver.executeScript<string[]>(
    "return performance.getEntriesByType('resource').filter((e) => e.initiatorType === 'script').map((e) => e.name)",
  );
  expect(loaded.every((name) => name.startsWith(url))).toBe(true);
  // What the page itself names; chunks of other screens are fetched when it rests.
  const tags = [...(await response.text()).matchAll(/<script[^>]+src="([^"]+)"[^>]*>/g)];
  const scripts = tags.flatMap(([tag, src]) => (/nomodule/i.test(tag) ? [] : [src]));
  expect(scripts.length).toBeGreaterThan(3);
  const bytes = await Promise.all(
    scripts.map(async (src) => gzipSync(await (await fetch(new URL(src, url))).text()).length),
  );
  expect(bytes.reduce((sum, size) => sum + size, 0)).toBeLessThan(FIRST_BYTES);
});

test("an import goes on when its project is left, and is there on coming back", async () => {
  const { driver } = session;
  await driver.get(url);
  await checkAccess("shelf");
  await (await see(driver, "input[aria-label='Name of the new project']")).sendKeys("Robust");
  await click(driver, "New project");
  await waitFor(driver, "empty Subs", async () => (await textOf(driver, "main")).includes("Drop your frames here"));
  await checkAccess("empty Subs");
  const input = await driver.findElement(By.css("[data-testid=choose-files]"));
  await input.sendKeys(files.join("\n"));
  await waitFor(driver, "some are in", running);
  await click(driver, "All projects");
  await see(driver, "input[aria-label='Name of the new project']");
  await (await driver.findElement(By.xpath("//a[contains(., 'Robust')]"))).click();
  await waitFor(driver, "all are in", async () => (await included()).startsWith("14 of 14"), 90_000);
  await waitFor(driver, "nothing runs", async () => !(await running()), 30_000);
  expect(await driver.findElements(By.css("[data-sub]")).then((rows) => rows.length)).toBeLessThanOrEqual(14);
  await checkAccess("Subs");
});

test("an import that is cut short by a reload is offered again; the same files chosen anew are not taken twice", async () => {
  const { driver } = session;
  await driver.get(url);
  await (await see(driver, "input[aria-label='Name of the new project']")).sendKeys("Cut short");
  await click(driver, "New project");
  const choose = async () => (await see(driver, "main")).findElement(By.css("[data-testid=choose-files]"));
  const rows = async () => (await driver.findElements(By.css("[data-sub]"))).length;
  const some = files.slice(0, 8);
  await waitFor(driver, "empty Subs", async () => (await textOf(driver, "main")).includes("Drop your frames here"));
  await (await choose()).sendKeys(some.join("\n"));
  await waitFor(driver, "two are in", async () => (await rows()) >= 2);
  await reload(driver);
  expect(await textOf(driver, "[data-testid=cut-short]")).toMatch(/\d files? did not come in/);
  await (await choose()).sendKeys(some.join("\n"));
  await waitFor(driver, "all are in", async () => (await included()).startsWith("8 of 8"), 90_000);
  await waitFor(driver, "nothing runs", async () => !(await running()), 30_000);
  expect(await rows()).toBe(8);
  expect((await driver.findElements(By.css("[data-testid=cut-short]"))).length).toBe(0);
  expect(await textOf(driver, "[data-testid=refused]")).toMatch(/files are in the project already/);
});

test("the last decision is taken back by keys; a title that is typed over renames the project and leaves out nothing", async () => {
  const { driver } = session;
  const keys = (...pressed: string[]) => press(driver, ...pressed);
  const withControl = (key: string) => driver.actions().keyDown(Key.CONTROL).sendKeys(key).keyUp(Key.CONTROL).perform();
  await (await see(driver, "[data-sub]")).click();
  await keys("o");
  await waitFor(driver, "one is out", async () => (await included()).startsWith("7 of 8"));
  await withControl("z");
  await waitFor(driver, "it is in again", async () => (await included()).startsWith("8 of 8"));
  await (await see(driver, "[data-testid=project-name] button")).click();
  await keys("a look on", Key.ENTER);
  expect(await textOf(driver, "[data-testid=project-name]")).toBe("a look on");
  expect((await included()).startsWith("8 of 8")).toBe(true);
  await click(driver, "All projects");
  await see(driver, "[aria-label='Delete “a look on”']");
  await (await driver.findElement(By.xpath("//a[contains(., 'Robust')]"))).click();
  await waitFor(driver, "the first project", async () => (await included()).startsWith("14 of 14"), 60_000);
});

test("frames are removed with Delete and brought back with Undo", async () => {
  const { driver } = session;
  await (await see(driver, "[data-sub='weir-002.fits']")).click();
  await (await driver.findElement(By.css("body"))).sendKeys("\uE017");
  await waitFor(driver, "one less", async () => (await included()).startsWith("13 of 13"));
  await click(driver, "Undo");
  await waitFor(driver, "all again", async () => (await included()).startsWith("14 of 14"));
});

test("a stack that is interrupted by a reload is offered, and goes on", async () => {
  const { driver } = session;
  await (await driver.findElement(By.xpath("//nav//a[contains(., 'Stack')]"))).click();
  await click(driver, "Make the stack");
  await waitFor(
    driver,
    "it combines",
    async () => /Combining/.test(await textOf(driver, "[data-testid=stacking]")),
    60_000,
  );
  await reload(driver);
  expect(await textOf(driver, "[data-testid=interrupted]")).toContain("was interrupted when the page was closed");
  await checkAccess("Stack, interrupted");
  await (
    await driver.findElement(By.xpath("//*[@data-testid='interrupted']//button[normalize-space(.)='Go on']"))
  ).click();
  await waitFor(driver, "the stack", async () => (await textOf(driver, "nav")).includes("Stack 1"), 90_000);
  expect((await driver.findElements(By.css("[data-testid=interrupted]"))).length).toBe(0);
});

test("Stack, Compare, Finish and the help are shown", async () => {
  const { driver } = session;
  await checkAccess("Stack");
  for (const stage of ["Compare", "Finish"]) {
    await (await driver.findElement(By.xpath(`//nav//a[contains(., '${stage}')]`))).click();
    await waitFor(driver, stage, async () => (await driver.getCurrentUrl()).endsWith(stage.toLowerCase()));
    await waitFor(driver, "a picture", async () => (await driver.findElements(By.css("canvas"))).length > 0);
    await checkAccess(stage);
  }
  await (await driver.findElement(By.css("body"))).sendKeys("?");
  await see(driver, "[data-testid=help-keys]");
  await checkAccess("help");
  await (await driver.findElement(By.css("body"))).sendKeys("?");
});

test("stacks that are chosen as subs are recognised, and brought in as what they are", async () => {
  const { driver } = session;
  await (await driver.findElement(By.xpath("//nav//a[contains(., 'Subs')]"))).click();
  const input = await driver.wait(until.elementLocated(By.css("[data-testid=choose-files]")), 10_000);
  await input.sendKeys(stackFiles.join("\n"));
  await waitFor(driver, "they are told", async () =>
    (await textOf(driver, "main")).includes("3 files are no light but a stack or part of one"),
  );
  expect(await included()).toMatch(/ of 14/);
  await click(driver, "Bring in on Stack");
  await see(driver, "[data-testid=found]");
  await checkAccess("Stack, found");
  await click(driver, "Bring in");
  await waitFor(driver, "two stacks", async () => (await textOf(driver, "nav")).includes("Stack 2"), 30_000);
  const report = await textOf(driver, "[data-testid=stack-report]");
  expect(report).toMatch(/Made\s*elsewhere/);
  expect(report).toContain("Noise per pixel, from the halves");
  expect((await driver.findElements(By.css("[data-testid=found]"))).length).toBe(0);
});

test("a second tab does not work on the same project, unless it takes it over; then the first lets go", async () => {
  const { driver } = session;
  const first = await driver.getWindowHandle();
  const address = await driver.getCurrentUrl();
  await driver.switchTo().newWindow("tab");
  await driver.get(address);
  await waitFor(driver, "it says so", async () => (await textOf(driver, "body")).includes("Open in another tab"));
  await see(driver, "[role=img] canvas");
  await checkAccess("another tab");
  const follower = await driver.getWindowHandle();
  const sums = () => textOf(driver, "[data-testid=sums]");
  const before = await sums();
  expect(before).toMatch(/^14 subs/);
  await driver.switchTo().window(first);
  await (await driver.findElement(By.xpath("//nav//a[contains(., 'Subs')]"))).click();
  await (await see(driver, "[data-sub='weir-003.fits']")).click();
  await (await driver.findElement(By.css("body"))).sendKeys("o");
  await driver.switchTo().window(follower);
  await waitFor(driver, "it follows", async () => (await sums()) !== before);
  await click(driver, "Take it over here");
  await waitFor(driver, "it is here", async () => (await driver.findElements(By.css("nav"))).length > 0, 30_000);
  const second = await driver.getWindowHandle();
  await driver.switchTo().window(first);
  await waitFor(driver, "gone there", async () => (await textOf(driver, "body")).includes("took this project over"));
  await driver.switchTo().window(second);
  await driver.close();
  await driver.switchTo().window(first);
  await click(driver, "Take it over here");
  await waitFor(driver, "back", async () => (await driver.findElements(By.css("nav"))).length > 0, 30_000);
});

test("on a phone the stacks can be looked at, and nothing is there that does nothing", async () => {
  const { driver } = session;
  const size = (width: number, height: number) =>
    driver.sendDevToolsCommand("Emulation.setDeviceMetricsOverride", {
      width,
      height,
      deviceScaleFactor: 1,
      mobile: false,
    });
  await size(420, 800);
  await waitFor(driver, "plain", async () => (await textOf(driver, "main")).includes("need a window of 900 px"));
  await see(driver, "[role=img] canvas");
  expect(await textOf(driver, "main")).toContain("Robust");
  expect((await driver.findElements(By.css("nav"))).length).toBe(0);
  await checkAccess("phone");
  await size(1024, 700);
  await waitFor(driver, "the screens", async () => (await driver.findElements(By.css("nav"))).length > 0);
  await size(1280, 800);
});

test("no screen has a serious or critical fault of access (axe-core)", () => {
  expect(faults).toEqual([]);
});

test("the server refuses what it does not answer, and the page runs no script but its own", async () => {
  const statusOf = (path: string, method: string) =>
    new Promise<number | undefined>((resolve, reject) =>
      request(new URL(path, url.replace("localhost", "127.0.0.1")), { method }, (answer) => {
        answer.resume();
        resolve(answer.statusCode);
      })
        .on("error", reject)
        .end(),
    );
  for (const [path, method, status] of [
    ["/", "PUT", 405],
    ["/", "DELETE", 405],
    ["/", "TRACE", 405],
    ["/api/demo/manifest", "TRACE", 405],
    ["/api/demo/frames/1.5", "GET", 404],
    ["/api/demo/frames/1e0", "GET", 404],
    ["/api/demo/frames/0x1", "GET", 404],
    ["/api/demo/frames/99", "GET", 404],
  ] as const)
    expect([path, method, await statusOf(path, method)]).toEqual([path, method, status]);
  const policy = (await fetch(url)).headers.get("content-security-policy") ?? "";
  const scripts = /script-src ([^;]*)/.exec(policy)?.[1] ?? "";
  expect(scripts).toMatch(/'nonce-[\w+/=]+'/);
  expect(scripts).not.toContain("unsafe-inline");
  expect((await driverProblems()).filter((message) => !message.includes("404"))).toEqual([]);
});

const driverProblems = () => consoleProblems(session.driver);
