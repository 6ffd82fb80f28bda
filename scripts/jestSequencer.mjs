// Order of the browser tests: what is done on the demo's board takes longer than all others.
import { createRequire } from "node:module";

const { default: Sequencer } = createRequire(import.meta.url)("@jest/test-sequencer");

export default class LongestFirst extends Sequencer {
  sort(tests) {
    const isLong = ({ path }) => (path.endsWith("demo.test.ts") ? 0 : 1);
    return super.sort(tests).sort((a, b) => isLong(a) - isLong(b));
  }
}
