import * as z from "zod";

/** A tab's right to work on a project. */
export interface Claim {
  release(): void;
}

/** Which tab works on which project. */
export interface Claims {
  /**
   * Claims a project; null where another tab has it. With `takeOver` the other is asked to let go, and loses it if it does not answer in time.
   * `onLost` is called when this tab is asked to let go: what it still has to write must be written by then.
   */
  claim(projectId: string, takeOver: boolean, onLost: () => void): Promise<Claim | null>;
}

const asking = z.object({ kind: z.literal("let go"), projectId: z.string() });

/** How long a tab may take to let go before its claim is taken from it. */
const PATIENCE_MS = 1500;

/** Claims by the browser's locks, which a tab that crashes or is closed loses by itself. */
export function browserClaims(locks: LockManager, channel: BroadcastChannel): Claims {
  const held = new Map<string, () => void>();
  channel.addEventListener("message", ({ data }) => {
    const message = asking.safeParse(data);
    if (message.success) held.get(message.data.projectId)?.();
  });

  /** Holds a lock until released; null where it cannot be had. */
  function hold(projectId: string, options: LockOptions, onLost: () => void): Promise<Claim | null> {
    return new Promise((resolve) => {
      locks
        .request(`dunkel project ${projectId}`, options, (lock) => {
          if (!lock) return resolve(null);
          return new Promise<void>((release) => {
            const lose = () => {
              held.delete(projectId);
              onLost();
              release();
            };
            held.set(projectId, lose);
            resolve({
              release: () => {
                if (held.get(projectId) === lose) held.delete(projectId);
                release();
              },
            });
          });
        })
        // The lock was taken away: the other tab waited long enough.
        .catch(() => {
          if (!held.has(projectId)) return resolve(null);
          held.delete(projectId);
          onLost();
        });
    });
  }

  return {
    claim: async (projectId, takeOver, onLost) => {
      const free = await hold(projectId, { ifAvailable: true }, onLost);
      if (free || !takeOver) return free;
      channel.postMessage({ kind: "let go", projectId } satisfies z.infer<typeof asking>);
      const patience = AbortSignal.timeout(PATIENCE_MS);
      return (await hold(projectId, { signal: patience }, onLost)) ?? hold(projectId, { steal: true }, onLost);
    },
  };
}

/** Where the browser has no locks every tab may work on everything. */
export const NO_CLAIMS: Claims = { claim: () => Promise.resolve({ release: () => undefined }) };
