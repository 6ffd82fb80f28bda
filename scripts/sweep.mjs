// Looks for what the tests' fixed cases miss: every property over new random cases, and so many random chains (npm run -s sweep -- [chains]).
// Not part of the tests: it takes minutes. A failure prints its seed; SEED=… tries it again.
import { spawnSync } from "node:child_process";
import { fileURLToPath } from "node:url";

const root = fileURLToPath(new URL("..", import.meta.url));
const [chains = "40", ...patterns] = process.argv.slice(2);
const files = patterns.length > 0 ? patterns : ["engine/tasks/crop", "properties", "fuzz"];
const env = { SEED: "random", ...process.env, SWEEP: chains };
const run = spawnSync(process.execPath, ["node_modules/jest/bin/jest.js", ...files], {
  cwd: root,
  stdio: "inherit",
  env,
});
process.exit(run.status ?? 1);
