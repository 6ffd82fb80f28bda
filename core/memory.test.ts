import { createMemory } from "./memory";
import { createRaster } from "./raster";

const counting = () => {
  const asked: string[] = [];
  return { asked, make: (key: string) => () => (asked.push(key), Promise.resolve({ key })) };
};

test("what was worked out of a picture is there at once for the same key, and worked out anew for another picture", async () => {
  const [picture, other] = [createRaster(2, 2, 1), createRaster(2, 2, 1)];
  const { asked, make } = counting();
  const { rememberAsync } = createMemory();
  const first = await rememberAsync(picture, "a", make("a"));
  expect(await rememberAsync(picture, "a", make("a"))).toBe(first);
  expect(await rememberAsync(other, "a", make("a"))).not.toBe(first);
  expect(asked).toEqual(["a", "a"]);
});

test("what was asked for longest ago is forgotten first, and what failed is tried again", async () => {
  const picture = createRaster(2, 2, 1);
  const { asked, make } = counting();
  const { rememberAsync } = createMemory();
  for (const key of ["a", "b", "c", "d", "a", "e", "a", "b"]) await rememberAsync(picture, key, make(key));
  expect(asked).toEqual(["a", "b", "c", "d", "e", "b"]);
  const failing = () => Promise.reject(new Error("cancelled"));
  await expect(rememberAsync(picture, "f", failing)).rejects.toThrow("cancelled");
  expect(await rememberAsync(picture, "f", make("f"))).toEqual({ key: "f" });
});

test("results that are there at once are remembered alike, each memory its own", () => {
  const picture = createRaster(2, 2, 1);
  const [one, other] = [createMemory(), createMemory()];
  const first = one.remember(picture, "a", () => ({}));
  expect(one.remember(picture, "a", () => ({}))).toBe(first);
  expect(other.remember(picture, "a", () => ({}))).not.toBe(first);
  expect(() =>
    one.remember(picture, "b", () => {
      throw new RangeError("too small");
    }),
  ).toThrow("too small");
  expect(one.remember(picture, "b", () => 2)).toBe(2);
});
