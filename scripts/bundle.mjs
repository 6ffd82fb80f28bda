// Bundles what runs outside the pages: the browser's worker into public/engine/; the headless runner, its worker and the demo's
// observatory into dist/.
import { build } from "esbuild";
import { copyFileSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
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
  rmSync(`${root}public/engine`, { recursive: true, force: true });
  mkdirSync(`${root}public/engine`, { recursive: true });
  await build({
    ...common,
    entryPoints: ["engine/browser/worker.ts"],
    outdir: "public/engine",
    // What a worker loads only where it is used lies in files of its own.
    splitting: true,
    chunkNames: "[name]-[hash]",
    minify: true,
  });
  copyFileSync(`${root}core/kernels/kernels.wasm`, `${root}public/engine/kernels.wasm`);
}

/** Several runners may start at once: each file is written beside its place and renamed, so that none reads half of one. */
export async function bundleRunner() {
  // Packages are part of the bundle, since loading them file by file takes longer than all else at the start; some of them ask for Node's modules by require.
  const banner = {
    js: 'import { createRequire as requireFrom } from "node:module";const require = requireFrom(import.meta.url);',
  };
  const node = {
    ...common,
    platform: "node",
    banner,
    outExtension: { ".js": ".mjs" },
    outdir: "dist",
    splitting: true,
  };
  const { outputFiles } = await build({
    ...node,
    write: false,
    entryPoints: { worker: "engine/node/worker.ts", cli: "cli/main.ts", observatory: "app/api/demo/thread.ts" },
  });
  mkdirSync(`${root}dist/assets`, { recursive: true });
  const files = [
    ...outputFiles.map(({ path, contents }) => ({ path, contents })),
    { path: `${root}dist/kernels.wasm`, contents: readFileSync(`${root}core/kernels/kernels.wasm`) },
    ...readdirSync(`${root}public/assets`).map((name) => ({
      path: `${root}dist/assets/${name}`,
      contents: readFileSync(`${root}public/assets/${name}`),
    })),
  ];
  for (const { path, contents } of files) {
    const part = `${path}.${process.pid}.part`;
    writeFileSync(part, contents);
    renameSync(part, path);
  }
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  await bundleBrowser();
  await bundleRunner();
}
