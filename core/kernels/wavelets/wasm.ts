import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { marginFor, mirrored, wholeRegion } from "../../raster";
import { checkPlane } from "../plane";
import type { WaveletKernels, WaveletSettings } from "./contract";
import { checkWavelets, highPass, JUDGED, waveletReach } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  filterInto(...numbers: number[]): void;
  squareInto(...numbers: number[]): void;
  thresholdInto(...numbers: number[]): void;
  bayesInto(...numbers: number[]): void;
}

export function waveletsWasm(module: WasmModule): WaveletKernels {
  const wasm = module as Exports;

  /** Lays out memory for a plane with its mirrored margin, and splits it into its coefficients. */
  function split(
    plane: Float32Array,
    width: number,
    height: number,
    { taps, scales }: Pick<WaveletSettings, "taps" | "scales">,
    margin = waveletReach(taps.length, scales),
  ) {
    const { grown, pitch, rows } = mirrored(plane, width, height, margin);
    const n = pitch * rows;
    const arena = openArena(wasm);
    // Filters read so far beyond either end of a plane; what they find there are zeros.
    const guard = Math.ceil((Math.max(taps.length, 2 * JUDGED + 1) * 2 ** (scales - 1) * (pitch + 1)) / 16 + 1) * 16;
    const planes = Array.from({ length: 3 * scales + 5 }, () => arena.take(n + guard));
    const end = arena.take(guard);
    const [lowAt, highAt] = [0, 1].map(() => arena.take(taps.length));
    const ones = arena.take(2 * JUDGED + 1);
    arena.ensure();
    arena.zero(planes[0], (end - planes[0]) / 4 + guard);
    [taps, highPass(taps)].forEach((filter, k) =>
      arena.writeFloats(
        [lowAt, highAt][k],
        Float32Array.from(filter, (v) => v * Math.SQRT1_2),
      ),
    );
    arena.writeFloats(ones, new Float32Array(2 * JUDGED + 1).fill(1 / (2 * JUDGED + 1)));
    const [smooth, l, h, squares, means, ...bands] = planes.map((at) => at + 4 * guard);
    arena.writeFloats(smooth, grown);
    const filter = (from: number, to: number, by: number, stride: number, adds = 0) =>
      wasm.filterInto(from, to, n, by, taps.length, stride, adds);
    for (let j = 0; j < scales; j++) {
      const [across, down] = [2 ** j, 2 ** j * pitch];
      const [ha, hd, both] = bands.slice(3 * j, 3 * j + 3);
      filter(smooth, l, lowAt, across);
      filter(smooth, h, highAt, across);
      filter(h, ha, lowAt, down);
      filter(l, hd, highAt, down);
      filter(h, both, highAt, down);
      filter(l, smooth, lowAt, down);
    }
    const inside = (at: number): Float32Array => {
      const out = new Float32Array(plane.length);
      const found = arena.floats(at, n);
      for (let y = 0; y < height; y++) {
        const from = (y + margin) * pitch + margin;
        out.set(found.subarray(from, from + width), y * width);
      }
      return out;
    };
    return { n, pitch, low: lowAt, high: highAt, ones, smooth, l, h, squares, means, bands, filter, inside };
  }

  return {
    waveletShrink(plane, width, height, settings, kept = wholeRegion({ width, height })) {
      checkPlane(plane, width, height);
      checkWavelets(settings);
      const { taps, scales, sigma, rule, thresholds } = settings;
      const margin = marginFor(kept, { width, height }, waveletReach(taps.length, scales));
      const { n, pitch, low, high, ones, smooth, l, h, squares, means, bands, filter, inside } = split(
        plane,
        width,
        height,
        settings,
        margin,
      );
      for (let j = scales - 1; j >= 0; j--) {
        const [across, down] = [2 ** j, 2 ** j * pitch];
        for (let k = 0; k < 3; k++) {
          const [band, threshold] = [bands[3 * j + k], thresholds[3 * j + k]];
          if (rule !== "bayes") {
            wasm.thresholdInto(band, n, threshold, rule === "soft" ? 1 : 0);
            continue;
          }
          wasm.squareInto(band, squares, n);
          wasm.filterInto(squares, means, n, ones, 2 * JUDGED + 1, across, 0);
          wasm.filterInto(means, squares, n, ones, 2 * JUDGED + 1, down, 0);
          wasm.bayesInto(band, squares, n, JUDGED * (across + down), (threshold * sigma[3 * j + k]) ** 2);
        }
        const [ha, hd, both] = bands.slice(3 * j, 3 * j + 3);
        filter(smooth, l, low, -down);
        filter(hd, l, high, -down, 1);
        filter(ha, h, low, -down);
        filter(both, h, high, -down, 1);
        filter(l, smooth, low, -across);
        filter(h, smooth, high, -across, 1);
      }
      return inside(smooth);
    },
    waveletBands(plane, width, height, settings) {
      checkPlane(plane, width, height);
      const { bands, inside } = split(plane, width, height, settings);
      return bands.map(inside);
    },
  };
}
