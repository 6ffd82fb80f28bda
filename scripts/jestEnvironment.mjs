// Jest environment for tests of computations: they run in the process's own context. In one of their own every look at a global goes through
// the sandbox, and typed arrays of Node's functions are of another realm than those of the tests.
import { TestEnvironment } from "jest-environment-node";
import vm from "node:vm";

const compile = vm.compileFunction;
vm.compileFunction = (code, parameters, { parsingContext, ...options } = {}) =>
  compile(code, parameters, parsingContext === globalThis ? options : { parsingContext, ...options });

export default class OwnContext extends TestEnvironment {
  constructor(config, context) {
    super(config, context);
    this.context = globalThis;
    this.global = globalThis;
  }

  getVmContext() {
    return globalThis;
  }

  // The globals outlive the file: there is nothing to take down.
  async teardown() {
    this.context = null;
  }
}
