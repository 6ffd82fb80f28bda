// npm test: format and lint, types, unit tests, production build, browser tests; ends with a line that counts all tests.
import { spawn } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { ensureBrowser } from "./browser.mjs";

const root = fileURLToPath(new URL("..", import.meta.url));
const folder = mkdtempSync(join(tmpdir(), "dunkel-test-"));
let passed = 0;
let failed = 0;
/** The steps that failed, by name: said at the end, where they are looked for. */
const broken = [];

/** Runs a command to its end; what it says is shown when it has ended, so that two that run at once do not talk at once. */
function step(name, command, args) {
  const started = Date.now();
  console.log(`\n— ${name} …`);
  return new Promise((resolve) => {
    const run = spawn(command, args, {
      cwd: root,
      stdio: ["ignore", "pipe", "pipe"],
      env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1" },
    });
    const said = [];
    for (const stream of [run.stdout, run.stderr])
      stream.on("data", (part) => {
        if (name.endsWith("tests")) process.stdout.write(part);
        else said.push(part);
      });
    run.on("close", (status) => {
      process.stdout.write(Buffer.concat(said));
      console.log(`— ${name}: ${status === 0 ? "done" : "failed"} in ${Math.round((Date.now() - started) / 1000)} s`);
      if (status !== 0) broken.push(name);
      resolve(status === 0);
    });
  });
}

/** Runs tests and adds their counts; a run that left no counts is a failure of its own. */
async function tests(name, args) {
  const file = join(folder, `${name.replaceAll(" ", "-")}.json`);
  await step(name, process.execPath, [...args, "--json", `--outputFile=${file}`]);
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

const node = (name, ...args) => step(name, process.execPath, args);
const LAYERS = ["core", "engine", "storage", "state", "ui", "app", "cli"];

/** What reads the sources alone. */
async function readings() {
  await node("format", "node_modules/prettier/bin/prettier.cjs", "--check", "--log-level", "warn", ".");
  await node("lint", "node_modules/eslint/bin/eslint.js", ".");
  const cruise = ["node_modules/dependency-cruiser/bin/dependency-cruise.mjs", "--config", ".dependency-cruiser.cjs"];
  await node("layers", ...cruise, ...LAYERS);
}

/** Types, and what is built once they are known: one core's work each, so both go on at once. */
async function building() {
  await node("types", "node_modules/typescript/bin/tsc", "-p", "tsconfig.json");
  await node("types of core without the DOM", "node_modules/typescript/bin/tsc", "-p", "core/tsconfig.json");
  return node("production build", "scripts/build.mjs");
}

ensureBrowser();
const [isBuilt] = await Promise.all([building(), readings()]);
await tests("unit tests", ["node_modules/jest/bin/jest.js"]);
if (isBuilt) await tests("browser tests", ["scripts/e2e.mjs"]);
else failed++;
rmSync(folder, { recursive: true, force: true });
if (broken.length > 0) console.log(`\nFailed: ${broken.join(", ")}`);
console.log(`\n${passed} passed, ${Math.max(failed, broken.length)} failed`);
process.exit(broken.length > 0 || failed > 0 ? 1 : 0);
