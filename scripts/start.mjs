// npm start: builds if something changed since the last build, starts the application, prints its address. With --demo (npm run
// demo) the first visit makes the demo project.
import { spawnSync } from "node:child_process";
import { existsSync, readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { startServer } from "./server.mjs";

const root = fileURLToPath(new URL("..", import.meta.url));

/** Time of the newest source file. */
function newest(folder) {
  let time = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) time = Math.max(time, newest(path));
    else time = Math.max(time, statSync(path).mtimeMs);
  }
  return time;
}

const stamp = join(root, ".next/BUILD_ID");
const sources = ["app", "core", "engine", "state", "storage", "ui", "package.json", "next.config.mjs"];
const changed = Math.max(
  ...sources.map((name) =>
    statSync(join(root, name)).isDirectory() ? newest(join(root, name)) : statSync(join(root, name)).mtimeMs,
  ),
);
if (!existsSync(stamp) || statSync(stamp).mtimeMs < changed) {
  console.log("Building …");
  const build = spawnSync(process.execPath, ["scripts/build.mjs"], { cwd: root, stdio: "inherit" });
  if (build.status !== 0) process.exit(build.status ?? 1);
}
const demo = process.argv.includes("--demo");
const { url, server } = await startServer({ port: Number(process.env.PORT ?? 3000), demo });
console.log(
  `\nDunkel is running at ${url}\n${demo ? "The first visit makes the demo project. " : ""}Press Ctrl C to stop.`,
);
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => server.kill(signal));
server.on("exit", (code) => process.exit(code ?? 0));
