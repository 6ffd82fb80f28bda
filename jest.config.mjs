export default {
  testEnvironment: "<rootDir>/scripts/jestEnvironment.mjs",
  globalSetup: "<rootDir>/scripts/jestSetup.mjs",
  maxWorkers: "100%",
  // Only against what hangs: tests say what is right, not how long it takes, and give way to those in the browser.
  testTimeout: 900_000,
  testMatch: ["<rootDir>/{core,engine,storage,state,ui,app,cli,bench,scripts}/**/*.test.{ts,tsx}"],
  modulePathIgnorePatterns: ["<rootDir>/.next/", "<rootDir>/dist/"],
  // All that a test imports is in its bundle.
  transform: { "\\.(test|shots)\\.tsx?$": "<rootDir>/scripts/jestBundle.mjs" },
};
