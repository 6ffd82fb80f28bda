import type { IDBPDatabase } from "idb";
import type { StripStore } from "@/engine/jobs/strips";
import { inMemory } from "@/engine/jobs/strips";
import { isKnown } from "./access";
import type { Schema } from "./schema";

/** Where the strips of a project's stack wait, in the database. Those of a project that is gone are not kept. */
export function stripStore(db: IDBPDatabase<Schema>, projectId: string): StripStore {
  const idOf = (stack: string, y: number) => `${projectId}:${stack}:${y}`;
  return {
    load: async (stack, y) => (await db.get("strips", idOf(stack, y))) ?? null,
    save: async (stack, y, strip) => {
      const whole = inMemory(strip);
      const tx = db.transaction(["projects", "strips"], "readwrite");
      if (await isKnown(tx.objectStore("projects"), projectId))
        await tx.objectStore("strips").put({ ...whole, id: idOf(stack, y), projectId, stack });
      await tx.done;
      return (await db.get("strips", idOf(stack, y))) ?? whole;
    },
    isOnDisk: true,
    forget: async (except) => {
      const tx = db.transaction("strips", "readwrite");
      for (const key of await tx.store.index("project").getAllKeys(projectId))
        if (except === null || !key.startsWith(`${projectId}:${except}:`)) await tx.store.delete(key);
      await tx.done;
    },
  };
}
