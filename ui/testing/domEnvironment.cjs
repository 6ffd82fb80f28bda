// jsdom for tests of screens and hooks, with what browsers have and jsdom has not.
const { TestEnvironment } = require("jest-environment-jsdom");

/** Sees no size: nothing is laid out in jsdom. */
class ResizeObserver {
  observe() {}
  unobserve() {}
  disconnect() {}
}

module.exports = class extends TestEnvironment {
  async setup() {
    await super.setup();
    Object.assign(this.global, { TextEncoder, TextDecoder, structuredClone, ResizeObserver });
  }
};
