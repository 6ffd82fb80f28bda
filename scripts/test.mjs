// npm test: format and lint, types, unit tests, production build, browser tests; ends with a line that counts all tests.
import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { ensureBrowser } from "./browser.mjs";

const root = fileURLToPath(new URL("..", import.meta.url));
const folder = mkdtempSync(join(tmpdir(), "dunkel-test-"));
let passed = 0;
let failed = 0;
let broken = false;

function step(name, command, args) {
  const started = Date.now();
  console.log(`\n— ${name}`);
  const run = spawnSync(command, args, {
    cwd: root,
    stdio: ["ignore", "inherit", "inherit"],
    env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1" },
  });
  console.log(`— ${name}: ${run.status === 0 ? "done" : "failed"} in ${Math.round((Date.now() - started) / 1000)} s`);
  if (run.status !== 0) broken = true;
  return run.status === 0;
}

/** Runs tests and adds their counts; a run that left no counts is a failure of its own. */
function tests(name, args) {
  const file = join(folder, `${name.replaceAll(" ", "-")}.json`);
  step(name, process.execPath, [...args, "--json", `--outputFile=${file}`]);
  try {
    const result = JSON.parse(readFileSync(file, "utf8"));
    passed += result.numPassedTests;
    failed +=
      result.numFailedTests +
      result.testResults.filter((suite) => suite.status === "failed" && suite.assertionResults.length === 0).length;
  } catch {
    failed++;
  }
}

ensureBrowser();
step("format", process.execPath, ["node_modules/prettier/bin/prettier.cjs", "--check", "--log-level", "warn", "."]);
step("lint", process.execPath, ["node_modules/eslint/bin/eslint.js", "."]);
step("layers", process.execPath, [
  "node_modules/dependency-cruiser/bin/dependency-cruise.mjs",
  "--config",
  ".dependency-cruiser.cjs",
  "core",
  "engine",
  "storage",
  "state",
  "ui",
  "app",
  "cli",
]);
step("types", process.execPath, ["node_modules/typescript/bin/tsc", "-p", "tsconfig.json"]);
step("types of core without the DOM", process.execPath, [
  "node_modules/typescript/bin/tsc",
  "-p",
  "core/tsconfig.json",
]);
tests("unit tests", ["node_modules/jest/bin/jest.js"]);
if (step("production build", process.execPath, ["scripts/build.mjs"])) tests("browser tests", ["scripts/e2e.mjs"]);
else failed++;
rmSync(folder, { recursive: true, force: true });
console.log(`\n${passed} passed, ${failed + (broken && failed === 0 ? 1 : 0)} failed`);
process.exit(broken || failed > 0 ? 1 : 0);
