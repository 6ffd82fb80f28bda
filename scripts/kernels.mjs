// Compiles core/kernels/assembly to core/kernels/kernels.wasm (or to the path given as the first argument).
import { spawnSync } from "node:child_process";
import { fileURLToPath } from "node:url";
import { resolve } from "node:path";

const root = fileURLToPath(new URL("..", import.meta.url));
const out = resolve(process.argv[2] ?? `${root}core/kernels/kernels.wasm`);
const args = [
  `${root}node_modules/assemblyscript/bin/asc.js`,
  "core/kernels/assembly/index.ts",
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
