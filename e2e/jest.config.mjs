import base from "../jest.config.mjs";

export default {
  ...base,
  rootDir: "..",
  testMatch: [process.env.DUNKEL_SCREENSHOTS === "1" ? "<rootDir>/e2e/**/*.shots.ts" : "<rootDir>/e2e/**/*.test.ts"],
  testTimeout: 400_000,
  // The longest first: else it would end alone.
  testSequencer: "<rootDir>/scripts/jestSequencer.mjs",
  // Pages wait for their workers and for drawing more than they compute: two go beside one another.
  maxWorkers: 2,
};
