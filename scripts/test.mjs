// npm test: format and lint, types, unit tests, production build, browser tests; ends with a line that counts all tests.
import { spawn } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { constants, setPriority, tmpdir } from "node:os";
import { join, relative } from "node:path";
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
    if (!name.endsWith("tests") && !name.startsWith("production"))
      setPriority(run.pid, constants.priority.PRIORITY_LOW);
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

/** How long each test file took, in s. */
const files = [];

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
    for (const { name: path, startTime, endTime } of result.testResults)
      files.push([(endTime - startTime) / 1000, relative(root, path)]);
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

/** Types, before what is built of them. */
async function building() {
  await node("types", "node_modules/typescript/bin/tsc", "-p", "tsconfig.json");
  await node("types of core without the DOM", "node_modules/typescript/bin/tsc", "-p", "core/tsconfig.json");
}

/** The build, and what is tried in a browser as soon as it is there. */
async function inBrowser() {
  if (await node("production build", "scripts/build.mjs")) await tests("browser tests", ["scripts/e2e.mjs"]);
  else failed++;
}

const began = Date.now();
ensureBrowser();
// The build and the browsers go first, since their tests wait for what a person would see; what
// reads the sources fills what they leave of the
// cores. Unit tests have them afterwards: beside the browsers they would take what these wait for.
const units = () => tests("unit tests", ["node_modules/jest/bin/jest.js"]);
await Promise.all([inBrowser().then(units), building().then(readings)]);
rmSync(folder, { recursive: true, force: true });
console.log("\nThe ten slowest files:");
for (const [seconds, path] of files.sort(([a], [b]) => b - a).slice(0, 10))
  console.log(`${seconds.toFixed(0).padStart(5)} s  ${path}`);
if (broken.length > 0) console.log(`\nFailed: ${broken.join(", ")}`);
console.log(`\nAll of it took ${Math.round((Date.now() - began) / 1000)} s.`);
console.log(`\n${passed} passed, ${Math.max(failed, broken.length)} failed`);
process.exit(broken.length > 0 || failed > 0 ? 1 : 0);
