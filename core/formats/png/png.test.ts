import { decode } from "fast-png";
import { rasterOf } from "../../raster";
import { writePng } from "./write";

test.each([8, 16] as const)(
  "%i-bit PNGs hold the clamped display values and their text, as another reader sees them",
  (depth) => {
    const most = depth === 8 ? 255 : 65535;
    const planes = [Float32Array.of(0, 0.5, 1), Float32Array.of(-1, 2, NaN), Float32Array.of(0.25, 0.75, 1)];
    const png = decode(writePng(rasterOf(3, 1, planes), depth, { Description: "recipe" }), { checkCrc: true });
    expect([png.width, png.height, png.depth, png.channels]).toEqual([3, 1, depth, 3]);
    const value = (v: number) => Math.round(v * most);
    expect([...png.data]).toEqual([0, 0, value(0.25), value(0.5), most, value(0.75), most, 0, most]);
    expect(png.text.Description).toBe("recipe");
  },
);

test("a grey PNG has one channel; two channels are refused", () => {
  expect(decode(writePng(rasterOf(1, 1, [Float32Array.of(1)]), 8)).channels).toBe(1);
  expect(() => writePng(rasterOf(1, 1, [new Float32Array(1), new Float32Array(1)]), 8)).toThrow("received 2");
});
