import { Stopped } from "@/core/job";
import type { Kernels } from "@/core/kernels";
import { createPlainKernels, createWasmKernels } from "@/core/kernels";
import type { Raster } from "@/core/raster";
import { rasterBytes } from "@/core/raster";
import type { LoadAsset } from "./assets";
import { createAssets } from "./assets";
import { byteCache } from "./cache";
import { FactValues } from "./facts";
import type { OpenBytes } from "./frames";
import { createFrameStore } from "./frames";
import type { Reply } from "./protocol";
import { failureOf, request } from "./protocol";
import { TASKS } from "./tasks/registry";
import type { Task } from "./tasks/task";
import { runTask } from "./tasks/task";

/** The worker's end of the line, the same in the browser and in Node. */
export interface WorkerLine {
  post(message: Reply, transfer: ArrayBuffer[]): void;
  listen(handler: (message: unknown) => void): void;
  /** Resolves after waiting messages were delivered. */
  breathe(): Promise<void>;
}

/** How a worker gets at files: those of the person, and those of the application. */
export interface WorkerFiles {
  openBytes: OpenBytes;
  loadAsset: LoadAsset;
}

const CACHE_BYTES = 384 * 2 ** 20;

/** Serves jobs on a line, one at a time; kernels are warmed up first, since an engine runs slow code at the start. */
export function serve(line: WorkerLine, { openBytes, loadAsset }: WorkerFiles, wasm: Uint8Array | null): void {
  const kernels = wasm ? safeWasm(wasm) : createPlainKernels();
  warmUp(kernels);
  const frames = createFrameStore(openBytes, kernels);
  const cache = byteCache<Raster>(CACHE_BYTES, rasterBytes);
  const facts = new FactValues();
  const assets = createAssets(loadAsset);
  const stopped = new Set<number>();

  async function run(id: number, name: string, payload: unknown, stop: unknown): Promise<void> {
    const flag = stop instanceof Int32Array ? stop : null;
    const begun = Date.now();
    let lastProgress = 0;
    let lastBreath = Date.now();
    const check = () => {
      if (stopped.has(id) || (flag && Atomics.load(flag, 0) === 1)) throw new Stopped();
    };
    const job = {
      kernels,
      assets,
      check,
      progress: (fraction: number) => {
        const now = Date.now();
        if (now - lastProgress < 80 && fraction < 1) return;
        lastProgress = now;
        line.post({ kind: "progress", id, fraction }, []);
      },
      breathe: async () => {
        check();
        if (flag || Date.now() - lastBreath < 50) return;
        await line.breathe();
        lastBreath = Date.now();
        check();
      },
    };
    try {
      if (!(name in TASKS)) throw new RangeError(`unknown task “${name}”`);
      const task = TASKS[name as keyof typeof TASKS] as Task<unknown, unknown>;
      check();
      const result = await runTask(task, payload, { job, frames, facts, cache });
      // Without a list of what is handed over, a message carries a copy.
      line.post({ kind: "done", id, result, ms: Date.now() - begun }, "owned" in task ? buffersOf(result) : []);
    } catch (error) {
      line.post({ kind: "failed", id, failure: failureOf(error) }, []);
    } finally {
      stopped.delete(id);
    }
  }

  line.listen((message) => {
    const parsed = request.safeParse(message);
    if (!parsed.success) return;
    if (parsed.data.kind === "stop") stopped.add(parsed.data.id);
    else if (parsed.data.kind === "keep") facts.keep(parsed.data.id, parsed.data.value);
    else if (parsed.data.kind === "forget") facts.forget(parsed.data.id);
    else run(parsed.data.id, parsed.data.task, parsed.data.payload, parsed.data.stop).catch(crash);
  });
  line.post({ kind: "ready", kernels: kernels.name }, []);
}

/** Ends the worker by an error that its pool hears of. */
function crash(error: unknown): void {
  queueMicrotask(() => {
    throw error;
  });
}

function safeWasm(bytes: Uint8Array): Kernels {
  try {
    return createWasmKernels(bytes);
  } catch {
    return createPlainKernels(); // SIMD is missing here; the twins give the same numbers, slower
  }
}

function warmUp(kernels: Kernels): void {
  const plane = Float32Array.from({ length: 64 * 64 }, (_, i) => 1 + Math.sin(i));
  const psf = { size: 3, values: new Float32Array(9).fill(1 / 9) };
  kernels.starletShrink([plane], 64, 64, { inverseSigma: [[1, 1]], k: 1, protect: 0.5 });
  kernels.richardsonLucy(plane, 64, 64, psf, { iterations: 2, start: "data", floor: 1e-6 });
}

/** The buffers of typed arrays in a result, at most two levels deep, each once. */
function buffersOf(result: unknown): ArrayBuffer[] {
  const buffers = new Set<ArrayBuffer>();
  const visit = (value: unknown, depth: number): void => {
    if (ArrayBuffer.isView(value)) {
      // By its name: a test runner's arrays may be of another realm than its globals.
      if (Object.prototype.toString.call(value.buffer) === "[object ArrayBuffer]")
        buffers.add(value.buffer as ArrayBuffer);
    } else if (depth > 0 && typeof value === "object" && value !== null)
      for (const inner of Object.values(value)) visit(inner, depth - 1);
  };
  visit(result, 3);
  return [...buffers];
}
