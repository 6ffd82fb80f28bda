import { By, Key } from "selenium-webdriver";
import type { Session } from "../driver";
import { click, see } from "../driver";

/** What several parts do with the board of the demo. */
export function boardOf(session: () => Session) {
  const body = async (...keys: string[]) => (await session().driver.findElement(By.css("body"))).sendKeys(...keys);
  const lane = async (letter: string) => (await see(session().driver, `[data-lane=${letter}] button`)).click();
  const pick = async (label: string, option: string) => {
    await click(session().driver, label);
    await see(session().driver, "[role=option]");
    await (await session().driver.findElement(By.xpath(`//*[@role='option'][normalize-space(.)="${option}"]`))).click();
  };
  const type = async (label: string, value: string) =>
    (await see(session().driver, `input[aria-label='${label}, number']`)).sendKeys(
      Key.chord(Key.CONTROL, "a"),
      value,
      Key.ENTER,
    );
  const cells = async () => (await session().driver.findElements(By.css("[data-cell]"))).length;

  return { body, lane, pick, type, cells };
}
