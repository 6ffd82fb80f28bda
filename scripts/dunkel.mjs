// The headless runner: bundles cli/ (a fraction of a second) and hands it the arguments. Signals go on to it; its end is this one's.
import { spawn } from "node:child_process";
import { constants } from "node:os";
import { fileURLToPath } from "node:url";
import { bundleRunner } from "./bundle.mjs";

await bundleRunner();
const cli = fileURLToPath(new URL("../dist/cli.mjs", import.meta.url));
// Pictures come and go by the hundred megabytes: glibc gives those back at once, keeps smaller pieces for the next ones, and takes memory in large pages (its manual, “Memory Allocation Tunables”).
const GLIBC = { hugetlb: 1, mmap_threshold: 4 * 2 ** 20, trim_threshold: 32 * 2 ** 20 };
const tunables = Object.entries(GLIBC).map(([name, value]) => `glibc.malloc.${name}=${value}`);
const env = { GLIBC_TUNABLES: tunables.join(":"), ...process.env };
const run = spawn(process.execPath, ["--disable-warning=ExperimentalWarning", cli, ...process.argv.slice(2)], {
  stdio: "inherit",
  env,
});
for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"]) process.on(signal, () => run.kill(signal));
run.on("exit", (code, signal) => process.exit(code ?? 128 + (signal ? constants.signals[signal] : 1)));
