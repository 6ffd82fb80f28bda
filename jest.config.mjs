// Packages that ship ES modules only and must be transformed before Jest can load them.
const esModules = [
  "geotiff",
  "quick-lru",
  "@petamoriken",
  "lerc",
  "web-worker",
  "xml-utils",
  "zstddec",
  "parse-headers",
  "fast-png",
  "iobuffer",
  "kdbush",
  "d3-.*",
  "internmap",
  "@tanstack",
  "react-hotkeys-hook",
  "pure-rand",
  "idb",
];

export default {
  testEnvironment: "node",
  globalSetup: "<rootDir>/scripts/jestSetup.mjs",
  maxWorkers: "100%",
  // Generous: tests say what is right, not how long it takes.
  testTimeout: 60_000,
  // Handed to each module as arguments: looking globals up in the sandbox makes numeric loops ten times slower.
  sandboxInjectedGlobals: ["Math", "Number", "Float32Array", "Float64Array", "Int32Array", "Uint16Array", "Uint8Array"],
  testMatch: ["<rootDir>/{core,engine,storage,state,ui,app,cli,bench,scripts}/**/*.test.{ts,tsx}"],
  modulePathIgnorePatterns: ["<rootDir>/.next/", "<rootDir>/dist/"],
  moduleNameMapper: { "^@/(.*)$": "<rootDir>/$1" },
  transform: {
    "^.+\\.(t|j|mj)sx?$": [
      "@swc/jest",
      {
        jsc: {
          parser: { syntax: "typescript", tsx: true },
          target: "es2022",
          transform: {
            react: { runtime: "automatic" },
            // Names that the sandbox would look up, each time.
            optimizer: { globals: { vars: { NaN: "0/0", Infinity: "1/0" } } },
          },
        },
        module: { type: "commonjs" },
      },
    ],
  },
  transformIgnorePatterns: [`/node_modules/(?!(${esModules.join("|")})/)`],
};
