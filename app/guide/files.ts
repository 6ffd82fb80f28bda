import { readFile } from "node:fs/promises";
import { join } from "node:path";
import { marked } from "marked";
import * as z from "zod";

/** Pages of the user's guide (docs/guide/) by the names in their addresses. */
export const guidePage = z.enum([
  "start",
  "bring-in",
  "calibrate",
  "choose",
  "stack",
  "compare",
  "noise",
  "blur",
  "evidence",
  "finish",
]);

/** Pictures of the guide (docs/screenshots/). */
export const guidePicture = z.string().regex(/^[a-z-]+\.png$/);

const docs = join(process.cwd(), "docs");

/** A page as HTML, its links and pictures those of this server. */
export async function guideHtml(page: z.infer<typeof guidePage>): Promise<string> {
  const text = await readFile(join(docs, "guide", page === "start" ? "README.md" : `${page}.md`), "utf8");
  const linked = text
    .replaceAll("(../screenshots/", "(/guide/pictures/")
    .replaceAll(/\]\(([a-z-]+)\.md\)/g, "](/guide/$1)");
  return marked.parse(linked, { async: false });
}

export const guidePictureBytes = (name: string): Promise<Buffer> => readFile(join(docs, "screenshots", name));
