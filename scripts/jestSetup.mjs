// Before unit tests: the headless runner is bundled once for all that call it.
import { bundleRunner } from "./bundle.mjs";

export default bundleRunner;
