import { mkdir, readFile, readdir, rm, writeFile, rename } from "node:fs/promises";
import { join } from "node:path";
import { z } from "zod";
import { READING } from "./readings";
import type { StripStore } from "@/engine/jobs/strips";

const head = z.object({
  samples: z.number(),
  rejected: z.number(),
  peakBytes: z.number(),
  planeBytes: z.number().int(),
});

/**
 * Finished strips in a folder beside the output: what is known of each as JSON, and its planes. A strip counts once its JSON is there, which
 * is written last; one that cannot be read is made anew.
 */
export function stripFolder(folder: string): StripStore {
  const base = (stack: string, y: number) => join(folder, `${stack.slice(0, 16)}-${y}`);
  return {
    load: async (stack, y) => {
      try {
        const known = head.parse(JSON.parse(await readFile(`${base(stack, y)}.json`, "utf8")));
        return { ...known, planes: new Blob([await readFile(`${base(stack, y)}.planes`)]) };
      } catch {
        return null;
      }
    },
    save: async (stack, y, { planes, ...known }) => {
      await mkdir(folder, { recursive: true });
      await writeFile(`${base(stack, y)}.planes`, Buffer.from(await planes.arrayBuffer()));
      await writeFile(`${base(stack, y)}.part`, JSON.stringify(head.parse(known)));
      await rename(`${base(stack, y)}.part`, `${base(stack, y)}.json`);
    },
    forget: async (except) => {
      if (except === null) return rm(folder, { recursive: true, force: true });
      for (const name of await readdir(folder).catch(() => []))
        if (!name.startsWith(`${except.slice(0, 16)}-`) && !name.startsWith(READING))
          await rm(join(folder, name), { force: true });
    },
  };
}
