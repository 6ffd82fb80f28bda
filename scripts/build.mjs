// Builds all that the application runs on: the workers, the headless runner, the pages.
import { spawnSync } from "node:child_process";
import { fileURLToPath } from "node:url";
import { bundleBrowser, bundleRunner } from "./bundle.mjs";

const root = fileURLToPath(new URL("..", import.meta.url));
await bundleBrowser();
await bundleRunner();
const env = { ...process.env, NEXT_TELEMETRY_DISABLED: "1", NODE_ENV: "production" };
const next = spawnSync(process.execPath, ["node_modules/next/dist/bin/next", "build"], {
  cwd: root,
  stdio: "inherit",
  env,
});
process.exit(next.status ?? 1);
