import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { stripFolder } from "./strips";

const folder = mkdtempSync(join(tmpdir(), "dunkel-strips-"));
afterAll(() => rmSync(folder, { recursive: true }));

const strip = { samples: 9, rejected: 1, peakBytes: 100, planeBytes: 4, planes: new Blob(["meanA   B   cove"]) };
const key = "0123456789abcdef0123456789abcdef";

test("strips come back as they were; a broken one is made anew; other stacks' and finished ones go", async () => {
  const store = stripFolder(join(folder, "s.strips"));
  expect(await store.load(key, 0)).toBeNull();
  await store.save(key, 0, strip);
  await store.save(key, 64, strip);
  await store.save("another stack's key", 0, strip);
  const back = await store.load(key, 64);
  expect(back).toMatchObject({ samples: 9, rejected: 1, planeBytes: 4 });
  expect(await back?.planes.text()).toBe("meanA   B   cove");
  writeFileSync(join(folder, "s.strips", "0123456789abcdef-0.json"), "{ half");
  expect(await store.load(key, 0)).toBeNull();
  await store.forget(key);
  expect(readdirSync(join(folder, "s.strips")).every((name) => name.startsWith("0123456789abcdef-"))).toBe(true);
  expect(await store.load(key, 64)).not.toBeNull();
  await store.forget(null);
  expect(existsSync(join(folder, "s.strips"))).toBe(false);
});
