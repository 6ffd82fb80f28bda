import { existsSync, readdirSync, readFileSync } from "node:fs";
import { guideHtml, guidePage, guidePicture } from "./files";

test("every page of the guide is there, has a picture, and links to what exists", async () => {
  const files = readdirSync("docs/guide").map((name) => (name === "README.md" ? "start" : name.replace(".md", "")));
  expect([...guidePage.options].sort()).toEqual(files.sort());
  for (const page of guidePage.options) {
    const html = await guideHtml(page);
    expect(html).toMatch(/<h1>/);
    const pictures = [...html.matchAll(/src="\/guide\/pictures\/([^"]+)"/g)].map(([, name]) => name);
    if (page !== "start") expect(pictures.length).toBeGreaterThan(0);
    for (const name of pictures) expect([name, existsSync(`docs/screenshots/${name}`)]).toEqual([name, true]);
    for (const [, to] of html.matchAll(/href="\/guide\/([^"]+)"/g)) expect(guidePage.safeParse(to).success).toBe(true);
  }
});

test("no name leads out of the folders", () => {
  for (const name of ["../README.md", "..%2fx.png", "a/b.png", "A.png"])
    expect(guidePicture.safeParse(name).success).toBe(false);
  expect(guidePage.safeParse("../../package").success).toBe(false);
  expect(readFileSync("README.md", "utf8")).toContain("docs/guide/README.md");
});
