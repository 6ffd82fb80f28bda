import { createStore } from "zustand/vanilla";

/** Milliseconds from the last change of a setting to the last crop that followed it. */
export const createLatency = () => {
  const store = createStore<{ ms: number | null }>(() => ({ ms: null }));
  let changedAt: number | null = null;
  return {
    store,
    changed: () => {
      changedAt = performance.now();
    },
    /** What is drawn from now on follows no change, such as after a zoom. */
    forget: () => {
      changedAt = null;
    },
    /** A crop was drawn; only those within ten seconds of a change count. */
    drawn: () => {
      if (changedAt === null) return;
      const ms = performance.now() - changedAt;
      if (ms < 10_000) store.setState({ ms });
    },
  };
};
export type Latency = ReturnType<typeof createLatency>;
