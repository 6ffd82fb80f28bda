// Browser tests (or, with --screenshots, fresh pictures for docs/) against the production build.
import { spawnSync } from "node:child_process";
import { existsSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { ensureBrowser } from "./browser.mjs";
import { startServer } from "./server.mjs";

const root = fileURLToPath(new URL("..", import.meta.url));
const screenshots = process.argv.includes("--screenshots");
const rest = process.argv.slice(2).filter((arg) => arg !== "--screenshots");
ensureBrowser();
if (!existsSync(`${root}.next/BUILD_ID`)) {
  console.error("There is no production build; run npm run build first.");
  process.exit(1);
}
const { url, stop } = await startServer({ demo: screenshots });
const env = { ...process.env, DUNKEL_URL: url, ...(screenshots ? { DUNKEL_SCREENSHOTS: "1" } : {}) };

const args = [
  "node_modules/jest/bin/jest.js",
  "--config",
  "e2e/jest.config.mjs",
  ...(screenshots ? ["--runInBand"] : []),
  ...rest,
];
const run = spawnSync(process.execPath, args, { cwd: root, stdio: "inherit", env });
stop();
process.exit(run.status ?? 1);
