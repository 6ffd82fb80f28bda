// Jest transform: each test file is bundled with all that it imports, packages too. So modules are joined once by esbuild, not one by one
// by the runner's module loader, and loops call functions of other modules as those of their own.
import { createHash } from "node:crypto";
import { fileURLToPath } from "node:url";
import { buildSync } from "esbuild";

const root = fileURLToPath(new URL("..", import.meta.url));
/** By test file what it was bundled to last: asked for its key first, then for itself. */
const bundles = new Map();

function bundle(path) {
  const { outputFiles } = buildSync({
    entryPoints: [path],
    absWorkingDir: root,
    tsconfig: "tsconfig.json",
    outdir: `${root}dist/tests`,
    write: false,
    bundle: true,
    format: "cjs",
    platform: "node",
    target: "node20",
    jsx: "automatic",
    sourcemap: "inline",
    sourcesContent: false,
    // These ask for files or modules by names that are put together at run time.
    external: ["selenium-webdriver", "react", "react-dom", "@testing-library/react"],
    logLevel: "error",
  });
  return outputFiles[0].text;
}

export default {
  getCacheKey(_source, path) {
    const text = bundle(path);
    bundles.set(path, text);
    return createHash("sha1").update(path).update(text).digest("hex");
  },
  process: (_source, path) => ({ code: bundles.get(path) ?? bundle(path) }),
};
