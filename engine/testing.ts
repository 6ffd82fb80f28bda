import type { PoolLine } from "./pool";

/** A line whose worker answers only when told to. */
export function puppet() {
  const posted: { kind: string; id: number; task?: string }[] = [];
  let reply: (message: unknown) => void = () => undefined;
  let die: (why: string) => void = () => undefined;
  let closed = 0;
  const line: PoolLine = {
    post: (message) => void posted.push(message as (typeof posted)[number]),
    listen: (onMessage, onDeath) => {
      reply = onMessage;
      die = onDeath;
    },
    close: () => void closed++,
  };
  return { line, posted, say: (m: unknown) => reply(m), die: (why: string) => die(why), closed: () => closed };
}
