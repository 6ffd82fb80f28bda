import { openAsBlob } from "node:fs";
import { mkdir, open, readFile, readdir, rename, rm, stat, writeFile } from "node:fs/promises";
import { join } from "node:path";
import * as z from "zod";
import { writeWhole } from "./outputs";
import { READING } from "./readings";
import type { StripStore } from "@/engine/jobs/strips";

const head = z.object({
  samples: z.number(),
  rejected: z.number(),
  peakBytes: z.number(),
  planeBytes: z.number().int(),
});

/**
 * Finished strips in a folder beside the output: what is known of each as JSON, and its planes, which are read from there when they are wanted. A strip counts once its JSON is there, which
 * is written last; one that cannot be read is made anew.
 */
export function stripFolder(folder: string): StripStore {
  const base = (stack: string, y: number) => join(folder, `${stack.slice(0, 16)}-${y}`);
  return {
    load: async (stack, y) => {
      try {
        const known = head.parse(JSON.parse(await readFile(`${base(stack, y)}.json`, "utf8")));
        return { ...known, planes: await openAsBlob(`${base(stack, y)}.planes`) };
      } catch {
        return null;
      }
    },
    save: async (stack, y, { planes, ...known }) => {
      await mkdir(folder, { recursive: true });
      const file = await open(`${base(stack, y)}.planes`, "w");
      try {
        for (const plane of planes) await file.writeFile(plane);
      } finally {
        await file.close();
      }
      await writeFile(`${base(stack, y)}.part`, JSON.stringify(head.parse(known)));
      await rename(`${base(stack, y)}.part`, `${base(stack, y)}.json`);
      return { ...known, planes: await openAsBlob(`${base(stack, y)}.planes`) };
    },
    isOnDisk: true,
    // Blobs that lie in files must not go to worker threads: Node 20 ends at once when one reads them.
    draft: async (name, picture) => {
      const path = join(folder, `draft-${name}.fits`);
      await mkdir(folder, { recursive: true });
      await writeWhole(path, picture);
      return { id: `${path}@${(await stat(path)).mtimeMs}`, name, kind: "file", path };
    },
    forget: async (except) => {
      if (except === null) return rm(folder, { recursive: true, force: true });
      for (const name of await readdir(folder).catch(() => []))
        if (!name.startsWith(`${except.slice(0, 16)}-`) && !name.startsWith(READING))
          await rm(join(folder, name), { force: true });
    },
  };
}
