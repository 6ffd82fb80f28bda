// The part of the WebAssembly interface that core uses; core is compiled without the DOM library, which holds it.
declare namespace WebAssembly {
  class Module {
    constructor(bytes: Uint8Array);
  }
  class Memory {
    readonly buffer: ArrayBuffer;
    grow(pages: number): number;
  }
  class Instance {
    readonly exports: Record<string, unknown>;
    constructor(module: Module, imports?: Record<string, unknown>);
  }
  function validate(bytes: Uint8Array): boolean;
}
