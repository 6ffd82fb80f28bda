// Compiles every assembly.ts of core/kernels to core/kernels/kernels.wasm (or to the path given as the first argument).
import { spawnSync } from "node:child_process";
import { existsSync, readdirSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { resolve } from "node:path";

const root = fileURLToPath(new URL("..", import.meta.url));
const out = resolve(process.argv[2] ?? `${root}core/kernels/kernels.wasm`);
const entries = readdirSync(`${root}core/kernels`)
  .map((folder) => `core/kernels/${folder}/assembly.ts`)
  .filter((path) => existsSync(root + path))
  .sort();
const args = [
  `${root}node_modules/assemblyscript/bin/asc.js`,
  ...entries,
  "--outFile",
  out,
  "--runtime",
  "stub",
  "-O3",
  "--converge",
  "--noAssert",
  "--enable",
  "simd",
  "--initialMemory",
  "2",
];
const run = spawnSync(process.execPath, args, { cwd: root, stdio: "inherit" });
process.exit(run.status ?? 1);
