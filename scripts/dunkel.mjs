// The headless runner: bundles cli/ (a fraction of a second) and hands it the arguments. Signals go on to it; its end is this one's.
import { spawn } from "node:child_process";
import { constants } from "node:os";
import { fileURLToPath } from "node:url";
import { bundleRunner } from "./bundle.mjs";

await bundleRunner();
const cli = fileURLToPath(new URL("../dist/cli.mjs", import.meta.url));
// Pictures come and go by the hundred megabytes: glibc gives them back at once only while this threshold stands still (mallopt(3)).
const env = { MALLOC_MMAP_THRESHOLD_: String(2 ** 20), ...process.env };
const run = spawn(process.execPath, ["--disable-warning=ExperimentalWarning", cli, ...process.argv.slice(2)], {
  stdio: "inherit",
  env,
});
for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"]) process.on(signal, () => run.kill(signal));
run.on("exit", (code, signal) => process.exit(code ?? 128 + (signal ? constants.signals[signal] : 1)));
