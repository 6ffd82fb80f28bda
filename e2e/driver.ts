import { mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { WebElement } from "selenium-webdriver";
import { Browser, Builder, By, error, Key, logging, until } from "selenium-webdriver";
import type { Driver } from "selenium-webdriver/chrome";
import { Options, ServiceBuilder } from "selenium-webdriver/chrome";

/** A headless Chromium with its own profile and download folder. */
export interface Session {
  driver: Driver;
  downloads: string;
  url: string;
  quit(): Promise<void>;
}

export async function openBrowser(url: string, size = { width: 1280, height: 800 }): Promise<Session> {
  const profile = mkdtempSync(join(tmpdir(), "dunkel-profile-"));
  const downloads = mkdtempSync(join(tmpdir(), "dunkel-downloads-"));
  const options = new Options();
  options.addArguments(
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--disable-dev-shm-usage",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--hide-scrollbars",
    `--user-data-dir=${profile}`,
    `--window-size=${size.width},${size.height}`,
  );
  options.setUserPreferences({ "download.default_directory": downloads, "download.prompt_for_download": false });
  options.setChromeBinaryPath(process.env.DUNKEL_CHROMIUM ?? "/usr/bin/chromium");
  const prefs = new logging.Preferences();
  prefs.setLevel(logging.Type.BROWSER, logging.Level.ALL);
  options.setLoggingPrefs(prefs);
  const driver = (await new Builder()
    .forBrowser(Browser.CHROME)
    .setChromeOptions(options)
    .setChromeService(new ServiceBuilder(process.env.DUNKEL_CHROMEDRIVER ?? "/usr/bin/chromedriver"))
    .build()) as unknown as Driver;
  await driver.sendDevToolsCommand("Emulation.setDeviceMetricsOverride", {
    ...size,
    deviceScaleFactor: 1,
    mobile: false,
  });
  await driver.sendDevToolsCommand("Browser.setDownloadBehavior", { behavior: "allow", downloadPath: downloads });
  return {
    driver,
    downloads,
    url,
    quit: async () => {
      await driver.quit();
      for (const folder of [profile, downloads]) rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Waits for an element that is in sight. */
export async function see(driver: Driver, css: string, ms = 40_000): Promise<WebElement> {
  const element = await driver.wait(until.elementLocated(By.css(css)), ms, `no element ${css}`);
  await driver.wait(until.elementIsVisible(element), ms, `element ${css} is not visible`);
  return element;
}

/** The button (or link) with exactly this text or label. */
export function named(text: string): By {
  const quoted = JSON.stringify(text);
  return By.xpath(`//*[self::button or self::a][normalize-space(.)=${quoted} or @aria-label=${quoted}]`);
}

export async function click(driver: Driver, text: string, ms = 30_000): Promise<void> {
  const element = await driver.wait(until.elementLocated(named(text)), ms, `no button “${text}”`);
  await driver.wait(until.elementIsEnabled(element), ms);
  await element.click();
}

/** Chooses of a list that opens. */
export async function choose(driver: Driver, label: string, option: string): Promise<void> {
  const trigger = await driver.findElement(By.css(`[aria-label="${label}"]`));
  await driver.executeScript("arguments[0].scrollIntoView({ block: 'center' })", trigger);
  await trigger.click();
  await (await driver.findElement(By.xpath(`//*[@role='option'][normalize-space(.)='${option}']`))).click();
}

/** Sends keys to whatever has the focus. */
export const press = (driver: Driver, ...keys: string[]): Promise<void> =>
  driver
    .actions()
    .sendKeys(...keys)
    .perform();

/** Loads the page anew; where it asks whether to go while something runs, it goes. */
export async function reload(driver: Driver): Promise<void> {
  await driver.navigate().refresh();
  await driver
    .switchTo()
    .alert()
    .then((asked) => asked.accept())
    .catch(() => undefined);
}

/** Tabs that are sent at a time. */
const TABS = 12;

/** Goes with Tab to the control of exactly this text or label; what it went past by it goes back. */
export async function tabTo(driver: Driver, text: string, most = 250): Promise<void> {
  const press = async (count: number, isBack = false) => {
    const keys = driver.actions();
    if (isBack) keys.keyDown(Key.SHIFT);
    keys.sendKeys(...Array.from({ length: count }, () => Key.TAB));
    if (isBack) keys.keyUp(Key.SHIFT);
    await keys.perform();
  };
  await driver.executeScript(`
    window.tabbed = [];
    window.onfocusin = ({ target }) => window.tabbed.push(target.getAttribute("aria-label") ?? target.textContent.trim());
    document.addEventListener("focusin", window.onfocusin);
  `);
  try {
    for (let k = 0; k < most; k += TABS) {
      await driver.executeScript("window.tabbed.length = 0");
      await press(TABS);
      const names = await driver.executeScript<string[]>("return [...window.tabbed]");
      const at = names.indexOf(text);
      if (at < 0) continue;
      if (at < names.length - 1) await press(names.length - 1 - at, true);
      const here = await driver.executeScript<string>(
        "const e = document.activeElement; return e.getAttribute('aria-label') ?? e.textContent.trim();",
      );
      if (here === text) return;
    }
  } finally {
    await driver.executeScript("document.removeEventListener('focusin', window.onfocusin)");
  }
  throw new Error(`Tab does not reach “${text}” in ${most} steps`);
}

/** Text of an element as it is now; an element that is replaced meanwhile is looked up again. */
export async function textOf(driver: Driver, css: string): Promise<string> {
  for (let attempt = 0; ; attempt++)
    try {
      return await (await see(driver, css)).getText();
    } catch (reason) {
      if (attempt >= 3 || !(reason instanceof error.StaleElementReferenceError)) throw reason;
    }
}

export async function waitFor(
  driver: Driver,
  what: string,
  condition: () => Promise<boolean>,
  ms = 60_000,
): Promise<void> {
  await driver.wait(async () => condition().catch(() => false), ms, `timed out: ${what}`);
}

/** Waits until every crop on the Compare screen is drawn. */
export async function cropsRest(driver: Driver, ms = 120_000): Promise<void> {
  await waitFor(
    driver,
    "crops come to rest",
    () =>
      driver.executeScript<boolean>(
        "const c = [...document.querySelectorAll('[data-cell]')]; return !document.querySelector('[data-behind]') && c.length > 0 && c.every((e) => e.dataset.pending === 'false');",
      ),
    ms,
  );
}

/** Opens the demo and waits for it on Compare, with four of its lanes. */
export async function openDemo(driver: Driver): Promise<void> {
  await click(driver, "Open the demo");
  await waitFor(driver, "Compare", async () => (await driver.getCurrentUrl()).endsWith("/compare"), 180_000);
  await cropsRest(driver, 120_000);
  await click(driver, "Remove lane E");
  await cropsRest(driver);
}

export async function screenshot(driver: Driver, path: string): Promise<void> {
  writeFileSync(path, Buffer.from(await driver.takeScreenshot(), "base64"));
}

/** The file of this ending in the download folder, once it is complete. */
export async function downloaded(session: Session, ending: string, ms = 30_000): Promise<string> {
  let found: string | undefined;
  await waitFor(
    session.driver,
    `download of ${ending}`,
    () => {
      found = readdirSync(session.downloads).find(
        (name) => name.endsWith(ending) && statSync(join(session.downloads, name)).size > 0,
      );
      return Promise.resolve(found !== undefined);
    },
    ms,
  );
  return join(session.downloads, found as string);
}

/** Warnings and errors of the page's console. */
export async function consoleProblems(driver: Driver): Promise<string[]> {
  const entries = await driver.manage().logs().get(logging.Type.BROWSER);
  return entries.filter(({ level }) => level.value >= logging.Level.WARNING.value).map(({ message }) => message);
}
