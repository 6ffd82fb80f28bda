import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { writeFits } from "@/core/formats";
import { cropPlane, median } from "@/core/raster";
import { dunkel, readPicture } from "./testing";

/** Frames that were registered elsewhere: zeros, or nothing, where they had no data. */
const folder = mkdtempSync(join(tmpdir(), "dunkel-borders-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (...names: string[]) => join(folder, ...names);

interface Report {
  subs: { used: boolean; note: string | null; share: number | null; noise: number[] }[];
}

const [WIDTH, HEIGHT, EDGE] = [320, 240, 70];

/** The lights of a night, and their stack. */
const night = () => {
  const size = `${WIDTH}x${HEIGHT}`;
  const { files } = dunkel<{ files: string[] }>(
    ...["simulate", "--subs", "6", "--seed", "4", "--size", size, "--out", folder],
  );
  const lights = files.filter((file) => /^(light|weir)/.test(file)).map((file) => at(file));
  return { lights, whole: dunkel<Report>("stack", ...lights, "--out", at("whole.fits")) };
};
let made: ReturnType<typeof night>;
beforeAll(() => {
  made = night();
}, 120_000);

test.each([
  ["zeros", 0],
  ["NaN", NaN],
])(
  "a border of %s in every second sub: the sky there is that of the others, and weights are as without it",
  async (name, fill) => {
    const { lights, whole } = made;
    const cut: string[] = [];
    for (const [k, path] of lights.entries()) {
      const { raster } = await readPicture(path);
      const planes = raster.planes.map((plane) =>
        plane.map((v, i) => (k % 2 === 0 && i % WIDTH < EDGE ? fill : 65535 * v)),
      );
      cut.push(at(`${name}${k}.fits`));
      writeFileSync(
        cut[k],
        writeFits({ width: WIDTH, height: HEIGHT, channels: raster.channels, sample: "float32" }, planes),
      );
    }
    const report = dunkel<Report>("stack", ...cut, "--out", at(`${name}.fits`));
    expect(report.subs.map(({ note }) => note?.includes("no data") ?? false)).toEqual(
      report.subs.map(({ used }, k) => used && fill === 0 && k % 2 === 0),
    );
    report.subs.forEach(({ noise }, k) => {
      expect(noise[0] / (65535 * whole.subs[k].noise[0])).toBeGreaterThan(0.85);
      expect(noise[0] / (65535 * whole.subs[k].noise[0])).toBeLessThan(1.15);
    });
    // Half of the subs reach the border: their sky alone, relative to the middle's, is what it was.
    const skyOf = async (file: string) => {
      const { raster } = await readPicture(at(file));
      const [plane] = raster.planes;
      const level = (x: number) => median(cropPlane(plane, raster.width, { x, y: 20, width: 40, height: HEIGHT - 60 }));
      return level(20) / level(150);
    };
    expect((await skyOf(`${name}.fits`)) / (await skyOf("whole.fits"))).toBeGreaterThan(0.99);
    expect((await skyOf(`${name}.fits`)) / (await skyOf("whole.fits"))).toBeLessThan(1.01);
  },
  120_000,
);
