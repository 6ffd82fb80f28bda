import base from "../jest.config.mjs";

export default {
  ...base,
  rootDir: "..",
  testMatch: ["<rootDir>/e2e/**/*.test.ts"],
  testTimeout: 180_000,
  maxWorkers: 1,
};
