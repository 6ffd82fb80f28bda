// Bundles and runs a benchmark: npm run -s bench -- NAME [ARGUMENTS]; without a name, lists them.
import { build } from "esbuild";
import { readdirSync } from "node:fs";
import { spawnSync } from "node:child_process";
import { fileURLToPath } from "node:url";
import { bundleRunner } from "./bundle.mjs";

const root = fileURLToPath(new URL("..", import.meta.url));
const names = readdirSync(`${root}bench`)
  .filter((f) => f.endsWith(".ts") && !f.includes(".test."))
  .map((f) => f.slice(0, -3));
const [name, ...args] = process.argv.slice(2);
if (!names.includes(name)) {
  console.error(`usage: npm run -s bench -- ${names.join("|")}`);
  process.exit(2);
}
await bundleRunner();
await build({
  absWorkingDir: root,
  entryPoints: [`bench/${name}.ts`],
  outfile: `dist/bench-${name}.mjs`,
  bundle: true,
  format: "esm",
  platform: "node",
  packages: "external",
  target: "es2022",
  tsconfig: "tsconfig.json",
  logLevel: "warning",
});
process.exit(
  spawnSync(process.execPath, [...(process.env.NODEFLAGS?.split(" ") ?? []), `dist/bench-${name}.mjs`, ...args], {
    cwd: root,
    stdio: "inherit",
  }).status ?? 1,
);
