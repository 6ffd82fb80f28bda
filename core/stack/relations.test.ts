import { IDENTITY, mapPoint } from "../register";
import { measureSub, measureVideoFrame } from "../measure";
import type { Raster } from "../raster";
import { rasterOf } from "../raster";
import { createNight, exposeSub } from "../simulate";
import { createVideo, videoFrame } from "../simulate/video";
import { wasmKernels } from "../testing/fixtures";
import { relateDiscs } from "./disc";
import { relateSub } from "./relation";

const kernels = wasmKernels();
/** A fully clouded or defocused sub has fewer stars; the trade's own scatter of photometry is some per cent. */
const night = createNight({ subs: 4, seed: 53, width: 640, height: 440 });
/** The green channel is enough here, and thrice as quick. */
const expose = (index: number): Raster => {
  const { width, height, planes } = exposeSub(night.sky, night.camera, night.subs[index], 53, kernels);
  return rasterOf(width, height, [planes[1]]);
};
const facts = (id: string, raster: Raster) => {
  const { measures, stars } = measureSub(raster, kernels);
  return { id, measures, stars };
};

describe("transmission against the simulator's truth", () => {
  const measured = night.subs.map(({ index }) => facts(String(index), expose(index)));
  const reference = 0;
  const transmission = (sub: (typeof measured)[number]) => {
    const related = relateSub(sub, measured[reference]);
    return related.ok ? 1 / related.value.scale : NaN;
  };

  test("within 2 % for every sub of the night", () => {
    const off = night.subs.map(
      (truth, i) => transmission(measured[i]) / (truth.transmission / night.subs[reference].transmission) - 1,
    );
    for (const value of off) expect(Math.abs(value)).toBeLessThan(0.02);
  });

  test("a bright gradient and a glowing cloud do not fool it, though they double the median", () => {
    const raster = expose(2);
    const clear = transmission(facts("clear", raster));
    const planes = raster.planes.map((plane, c) => {
      const level = measured[2].measures.background[c];
      return plane.map((v, i) => {
        const x = i % raster.width;
        const y = Math.floor(i / raster.width);
        const slope = 1.2 * (x / raster.width);
        const cloud = 0.9 * Math.exp(-((x - 300) ** 2 + (y - 200) ** 2) / (2 * 160 ** 2));
        return v + level * (slope + cloud);
      });
    });
    const lit = facts("lit", { ...raster, planes });
    expect(lit.measures.background[0] / measured[2].measures.background[0]).toBeGreaterThan(1.5);
    expect(Math.abs(transmission(lit) / clear - 1)).toBeLessThan(0.02);
  });
});

describe("frames of a video, by their disc", () => {
  const video = createVideo({ frames: 10, seed: 8, width: 180, height: 160 });
  const measured = video.conditions.map((truth) => {
    const raster = videoFrame(video, truth.index, kernels);
    return {
      truth,
      own: { measures: measureSub(raster, kernels).measures, video: measureVideoFrame(raster, kernels) },
    };
  });

  test("shift within 0.4 px and light within 2 % of the truth", () => {
    const [first] = measured;
    for (const { truth, own } of measured) {
      const relation = relateDiscs(own, first.own);
      expect(relation?.toReference.kind).toBe("shift");
      const [c, f] = mapPoint(relation?.toReference ?? IDENTITY, 0, 0);
      expect(Math.abs(c - (first.truth.x - truth.x))).toBeLessThan(0.4);
      expect(Math.abs(f - (first.truth.y - truth.y))).toBeLessThan(0.4);
      expect(Math.abs((relation?.scale ?? 0) / (first.truth.brightness / truth.brightness) - 1)).toBeLessThan(0.02);
    }
  });

  test("the sky of the reference is matched; a frame without a disc has no relation", () => {
    const [first, second] = measured;
    const relation = relateDiscs(second.own, first.own);
    const sky = second.own.measures.background[0] * (relation?.scale ?? 0) + (relation?.offset[0].level ?? 0);
    expect(sky).toBeCloseTo(first.own.measures.background[0], 9);
    expect(relateDiscs({ ...first.own, video: { ...first.own.video, x: null, y: null } }, second.own)).toBeNull();
    expect(relateDiscs({ ...first.own, video: { ...first.own.video, brightness: 0 } }, second.own)).toBeNull();
  });
});

test("a mono sub and one in colour have no relation, either way round; nothing breaks off", () => {
  const grey = facts("grey", expose(0));
  const { background, gradient, noise } = grey.measures;
  const thrice = <T>([value]: T[]): T[] => [value, value, value];
  const measures = {
    ...grey.measures,
    background: thrice(background),
    gradient: thrice(gradient),
    noise: thrice(noise),
  };
  const colour = { ...grey, id: "colour", measures };
  for (const [sub, other] of [
    [grey, colour],
    [colour, grey],
  ])
    expect(relateSub(sub, other)).toMatchObject({ ok: false, reason: { why: "other-channels" } });
});
