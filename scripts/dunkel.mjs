// The headless runner: bundles cli/ (a fraction of a second) and hands it the arguments.
import { spawnSync } from "node:child_process";
import { fileURLToPath } from "node:url";
import { bundleRunner } from "./bundle.mjs";

await bundleRunner();
const cli = fileURLToPath(new URL("../dist/cli.mjs", import.meta.url));
const run = spawnSync(process.execPath, ["--disable-warning=ExperimentalWarning", cli, ...process.argv.slice(2)], {
  stdio: "inherit",
});
process.exit(run.status ?? 1);
