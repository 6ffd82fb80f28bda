// Kills the runner at random moments while it stacks, and says what was lost: npm run -s soak --
// [rounds]. Not part of the tests: it takes minutes.
import { spawn } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";

const root = fileURLToPath(new URL("..", import.meta.url));
const rounds = Number(process.argv[2] ?? 50);
const folder = mkdtempSync(join(tmpdir(), "dunkel-soak-"));
const start = (...args) => spawn(process.execPath, [`${root}dist/cli.mjs`, ...args], { cwd: root, stdio: "ignore" });
const ended = (child) => new Promise((resolve) => child.once("exit", (code, signal) => resolve({ code, signal })));
const hashOf = (path) => createHash("sha256").update(readFileSync(path)).digest("hex");
const stackOf = (name) => [`${name}.fits`, `${name}.a.fits`, `${name}.b.fits`, `${name}.coverage.fits`];

const { bundleRunner } = await import("./bundle.mjs");
await bundleRunner();
const night = join(folder, "night");
await ended(start("simulate", "--subs", "8", "--seed", "5", "--size", "900x600", "--out", night));
const subs = readdirSync(night)
  .filter((name) => name.startsWith("weir"))
  .map((name) => join(night, name));
const inputs = new Map(subs.map((path) => [path, hashOf(path)]));
const began = Date.now();
await ended(start("stack", ...subs, "--out", join(folder, "whole.fits")));
const whole = stackOf("whole").map((name) => hashOf(join(folder, name)));
const took = Date.now() - began;

let fine = 0;
for (let round = 1; round <= rounds; round++) {
  const out = join(folder, `round${round}`);
  const killed = start("stack", ...subs, "--out", `${out}.fits`);
  const done = ended(killed);
  const after = Math.random() * took * 1.1;
  const timer = setTimeout(() => killed.kill(round % 3 === 0 ? "SIGTERM" : "SIGKILL"), after);
  const { signal } = await done;
  clearTimeout(timer);
  const faults = [];
  for (const [path, hash] of inputs) if (hashOf(path) !== hash) faults.push(`${path} was changed`);
  // What is there under its own name is whole.
  stackOf(out).forEach((path, i) => existsSync(path) && hashOf(path) !== whole[i] && faults.push(`${path} is half`));
  const { code } = await ended(start("stack", ...subs, "--out", `${out}.fits`));
  if (code !== 0) faults.push(`started again it ended with ${code}`);
  stackOf(out).forEach((path, i) => (!existsSync(path) || hashOf(path) !== whole[i]) && faults.push(`${path} differs`));
  if (existsSync(`${out}.strips`)) faults.push("strips are left");
  if (faults.length === 0) fine++;
  process.stdout.write(
    `${round}: ${signal ?? "ended"} after ${Math.round(after)} of ${took} ms: ${faults.join("; ") || "whole"}\n`,
  );
  for (const path of stackOf(out)) rmSync(path, { force: true });
}
process.stdout.write(`${fine} of ${rounds} whole\n`);
rmSync(folder, { recursive: true, force: true });
process.exit(fine === rounds ? 0 : 1);
