// Bundles what runs outside the pages: the browser's worker into public/engine/, the headless runner and its worker into dist/.
import { build } from "esbuild";
import { copyFileSync, mkdirSync } from "node:fs";
import { fileURLToPath } from "node:url";

const root = fileURLToPath(new URL("..", import.meta.url));
const common = {
  bundle: true,
  absWorkingDir: root,
  format: "esm",
  target: "es2022",
  logLevel: "warning",
  tsconfig: "tsconfig.json",
};

export async function bundleBrowser() {
  mkdirSync(`${root}public/engine`, { recursive: true });
  await build({
    ...common,
    entryPoints: ["engine/browser/worker.ts"],
    outfile: "public/engine/worker.js",
    minify: true,
  });
  copyFileSync(`${root}core/kernels/kernels.wasm`, `${root}public/engine/kernels.wasm`);
}

export async function bundleRunner() {
  const node = { ...common, platform: "node", packages: "external", outExtension: { ".js": ".mjs" }, outdir: "dist" };
  await build({ ...node, entryPoints: { worker: "engine/node/worker.ts", cli: "cli/main.ts" } });
  copyFileSync(`${root}core/kernels/kernels.wasm`, `${root}dist/kernels.wasm`);
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  await bundleBrowser();
  await bundleRunner();
}
