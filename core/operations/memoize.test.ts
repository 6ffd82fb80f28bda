import { createRaster } from "../raster";
import { memoize } from "./memoize";

const counting = () => {
  const asked: string[] = [];
  return { asked, make: (key: string) => () => (asked.push(key), Promise.resolve({ key })) };
};

test("what was worked out of a picture is there at once for the same key, and worked out anew for another picture", async () => {
  const [picture, other] = [createRaster(2, 2, 1), createRaster(2, 2, 1)];
  const { asked, make } = counting();
  const first = await memoize(picture, "a", make("a"));
  expect(await memoize(picture, "a", make("a"))).toBe(first);
  expect(await memoize(other, "a", make("a"))).not.toBe(first);
  expect(asked).toEqual(["a", "a"]);
});

test("what was asked for longest ago is forgotten first, and what failed is tried again", async () => {
  const picture = createRaster(2, 2, 1);
  const { asked, make } = counting();
  for (const key of ["a", "b", "c", "d", "a", "e", "a", "b"]) await memoize(picture, key, make(key));
  expect(asked).toEqual(["a", "b", "c", "d", "e", "b"]);
  const failing = () => Promise.reject(new Error("cancelled"));
  await expect(memoize(picture, "f", failing)).rejects.toThrow("cancelled");
  expect(await memoize(picture, "f", make("f"))).toEqual({ key: "f" });
});
