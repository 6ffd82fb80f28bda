// The layers: each may import only from those before it (docs/architecture.md).
const LAYERS = ["core", "engine", "storage", "state", "ui", "app"];

module.exports = {
  forbidden: [
    ...LAYERS.map((layer, i) => ({
      name: `${layer}-imports-upward`,
      comment: `${layer}/ may import only from ${["itself", ...LAYERS.slice(0, i)].join(", ")}`,
      severity: "error",
      from: { path: `^${layer}/` },
      to: { path: `^(${[...LAYERS.slice(i + 1), "cli", "bench", "e2e"].join("|")})/` },
    })).filter(({ name }) => name !== "none"),
    {
      name: "cli-stays-off-the-screen",
      comment: "the headless runner works over core and engine only",
      severity: "error",
      from: { path: "^cli/" },
      to: { path: "^(storage|state|ui|app)/" },
    },
    {
      name: "core-knows-no-platform",
      comment: "core/ is pure: no Node, no React, no browser packages",
      severity: "error",
      from: { path: "^core/", pathNot: "\\.test\\.ts$|^core/testing/" },
      to: { path: "^(node:|react|next|idb|zustand)|node_modules/(react|next|idb|zustand)/", dependencyTypesNot: [] },
    },
    {
      name: "core-knows-no-node",
      severity: "error",
      from: { path: "^core/", pathNot: "\\.test\\.ts$|^core/testing/" },
      to: { dependencyTypes: ["core"] },
    },
    { name: "no-cycles", severity: "error", from: {}, to: { circular: true } },
  ],
  options: {
    tsConfig: { fileName: "tsconfig.json" },
    tsPreCompilationDeps: true,
    doNotFollow: { path: "node_modules" },
    exclude: { path: "core/kernels/.*assembly\\.ts$" },
    enhancedResolveOptions: { exportsFields: ["exports"], conditionNames: ["import", "require", "node", "default"] },
  },
};
