import { stripsOf } from "./assemble";

describe("strips of a picture", () => {
  test.each([
    [900, 601, 2, 0],
    [1024, 1024, 2, 67],
    [6000, 4000, 8, 67],
    [300, 90, 4, 200],
  ])("%d × %d for %d workers with %d px of surroundings: each row once, in order", (width, height, workers, halo) => {
    const strips = stripsOf(width, height, workers, halo);
    let next = 0;
    for (const strip of strips) {
      expect(strip).toMatchObject({ x: 0, y: next, width });
      next += strip.height;
    }
    expect(next).toBe(height);
  });

  test("with surroundings, strips are high enough for them, and as many for each worker", () => {
    const strips = stripsOf(1024, 1024, 2, 67);
    expect(strips.length % 2).toBe(0);
    // Rows that are worked on, over rows that are kept.
    const work = strips.reduce((sum, { height }) => sum + height + 2 * 67, 0) / 1024;
    expect(work).toBeLessThan(1.8);
    // A long chain on a wide picture must not fill the memory.
    expect(Math.max(...stripsOf(6000, 4000, 2, 400).map(({ height }) => height))).toBeLessThanOrEqual(559);
    expect(stripsOf(1024, 1024, 2).reduce((sum, { height }) => sum + height + 2 * 67, 0) / 1024).toBeGreaterThan(2.5);
  });
});
