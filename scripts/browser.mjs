// Finds Chromium and its driver; installs Debian's packages when they are missing and that is possible.
import { spawnSync } from "node:child_process";
import { existsSync } from "node:fs";

const CHROMIUM = "/usr/bin/chromium";
const DRIVER = "/usr/bin/chromedriver";

export function ensureBrowser() {
  if (existsSync(CHROMIUM) && existsSync(DRIVER)) return;
  const root = process.getuid?.() === 0;
  const sudo = !root && spawnSync("sudo", ["-n", "true"]).status === 0;
  if (!existsSync("/usr/bin/apt-get") || (!root && !sudo)) {
    console.error(
      "The browser tests need Debian's packages chromium and chromium-driver. Install them with\n" +
        "  sudo apt-get install chromium chromium-driver\nor run the tests as root or with sudo.",
    );
    process.exit(1);
  }
  const run = (...args) => {
    const [command, ...rest] = root ? args : ["sudo", ...args];
    const env = { ...process.env, DEBIAN_FRONTEND: "noninteractive" };
    const done = spawnSync(command, rest, { stdio: ["ignore", "inherit", "inherit"], env });
    if (done.status !== 0) {
      console.error(`${args.join(" ")} failed; install chromium and chromium-driver by hand and try again.`);
      process.exit(1);
    }
  };
  console.log("Installing chromium and chromium-driver …");
  run("apt-get", "update", "-qq");
  run("apt-get", "install", "-y", "-qq", "--no-install-recommends", "chromium", "chromium-driver");
}
