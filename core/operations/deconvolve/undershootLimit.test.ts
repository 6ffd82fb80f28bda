import { paintStars, wasmKernels } from "../../testing/fixtures";
import { limitUndershoot } from "./undershootLimit";

const kernels = wasmKernels();

describe("rings", () => {
  const [SIDE, FWHM] = [80, 3];
  const model = { zero: 90, a: 4, b: 0, c: 0, falling: null };
  const { planes } = paintStars(SIDE, SIDE, [{ x: 40, y: 40, flux: 20_000 }], { fwhm: FWHM, noise: 0, level: 100 });
  const [seen] = planes;
  /** A ring 20 deep, 6 px from the star, and a lane as deep far from it. */
  const sharp = seen.map((v, i) => {
    const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
    return v - 20 * Math.exp(-((Math.hypot(x - 40, y - 40) - 6) ** 2)) - (x < 12 ? 10 * Math.exp(-((x - 6) ** 2)) : 0);
  });
  const bound = limitUndershoot(sharp, seen, SIDE, SIDE, FWHM, model, kernels);

  test("round a bright star are filled to the sky around it; a dark lane far from it stays, and so does all that is no darker", () => {
    const at = (plane: Float32Array, x: number, y: number) => plane[y * SIDE + x];
    expect(at(sharp, 46, 40)).toBeLessThan(95);
    expect(at(bound, 46, 40)).toBeGreaterThan(97.5);
    for (const y of [10, 40, 70]) expect(at(bound, 6, y)).toBe(at(sharp, 6, y));
    const changed = [...bound].flatMap((v, i) =>
      v === sharp[i] ? [] : [Math.hypot((i % SIDE) - 40, Math.floor(i / SIDE) - 40)],
    );
    expect(Math.max(...changed)).toBeLessThan(10);
    expect(at(bound, 40, 40)).toBe(at(sharp, 40, 40));
  });

  test("nothing is done where there is no noise to tell it by", () => {
    expect(limitUndershoot(sharp, seen, SIDE, SIDE, FWHM, { ...model, a: 0 }, kernels)).toEqual(sharp);
  });
});
