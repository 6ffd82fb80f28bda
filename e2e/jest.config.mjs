import base from "../jest.config.mjs";

export default {
  ...base,
  rootDir: "..",
  testMatch: [process.env.DUNKEL_SCREENSHOTS === "1" ? "<rootDir>/e2e/**/*.shots.ts" : "<rootDir>/e2e/**/*.test.ts"],
  testTimeout: 180_000,
  maxWorkers: 1,
};
