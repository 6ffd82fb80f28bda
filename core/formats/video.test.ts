import { rasterOf, wholeRegion } from "../raster";
import { bytesOfArray } from "./bytes";
import { valueOf } from "./problem";
import { openPicture } from "./registry";
import { serFrame, serHeader, serTrailer } from "./ser/write";

/** A SER file put together here from the published description, apart from the writer. */
function ser(
  options: {
    colour: number;
    order: number;
    depth: number;
    width: number;
    height: number;
    frames: number;
    big?: boolean;
  },
  samples: number[],
): Uint8Array {
  const { colour, order, depth, width, height, frames, big } = options;
  const sampleBytes = depth > 8 ? 2 : 1;
  const bytes = new Uint8Array(178 + samples.length * sampleBytes);
  const view = new DataView(bytes.buffer);
  [76, 85, 67, 65, 77, 45, 82, 69, 67, 79, 82, 68, 69, 82].forEach((c, i) => (bytes[i] = c));
  [0, colour, order, width, height, depth, frames].forEach((v, i) => view.setInt32(14 + 4 * i, v, true));
  samples.forEach((v, i) => (sampleBytes === 1 ? (bytes[178 + i] = v) : view.setUint16(178 + 2 * i, v, !big)));
  return bytes;
}
const ramp = (n: number, step: number) => Array.from({ length: n }, (_, i) => 1000 + i * step);

describe("SER", () => {
  test.each([
    ["least significant byte first, flag 1", 1, false],
    ["least significant byte first, flag 0 (as the trade often writes it)", 0, false],
    ["most significant byte first, flag 0", 0, true],
    ["most significant byte first, flag 1", 1, true],
  ])("16 bits, %s: the pixels decide", async (_, order, big) => {
    const file = ser({ colour: 0, order, depth: 16, width: 6, height: 4, frames: 2, big }, ramp(48, 3));
    const video = valueOf(await openPicture(bytesOfArray("a.ser", file)));
    expect([video.frames, video.width, video.height, video.channels, video.bitpix]).toEqual([2, 6, 4, 1, 16]);
    const { planes } = await video.frame(1).read(wholeRegion(video));
    expect(Array.from(planes[0], (v) => Math.round(v * 65535))).toEqual(ramp(48, 3).slice(24));
  });

  test("where the pixels say nothing the flag counts", async () => {
    const flat = Array.from({ length: 24 }, () => 0x0102);
    const value = async (order: number) => {
      const video = valueOf(
        await openPicture(
          bytesOfArray("a.ser", ser({ colour: 0, order, depth: 16, width: 6, height: 4, frames: 1 }, flat)),
        ),
      );
      return Math.round((await video.frame(0).read(wholeRegion(video))).planes[0][0] * 65535);
    };
    expect([await value(1), await value(0)]).toEqual([0x0102, 0x0201]);
  });

  test.each([
    [8, "RGGB"],
    [9, "GRBG"],
    [10, "GBRG"],
    [11, "BGGR"],
  ])("colour %i is the mosaic %s", async (colour, pattern) => {
    const video = valueOf(
      await openPicture(
        bytesOfArray("a.ser", ser({ colour, order: 0, depth: 8, width: 4, height: 2, frames: 1 }, ramp(8, 1))),
      ),
    );
    expect(video.metadata.cfa).toBe(pattern);
  });

  test("RGB and BGR, and samples of 12 bits in the low bits", async () => {
    for (const [colour, first] of [
      [100, 0],
      [101, 2],
    ]) {
      const video = valueOf(
        await openPicture(
          bytesOfArray(
            "a.ser",
            ser({ colour, order: 0, depth: 8, width: 2, height: 1, frames: 1 }, [10, 20, 30, 40, 50, 60]),
          ),
        ),
      );
      const { planes } = await video.frame(0).read(wholeRegion(video));
      expect(Math.round(planes[0][0] * 255)).toBe([10, 20, 30][first]);
      expect(Math.round(planes[2][1] * 255)).toBe(first === 0 ? 60 : 40);
    }
    const video = valueOf(
      await openPicture(
        bytesOfArray("a.ser", ser({ colour: 0, order: 1, depth: 12, width: 4, height: 1, frames: 1 }, [0, 1, 2, 4095])),
      ),
    );
    expect((await video.frame(0).read(wholeRegion(video))).planes[0][3]).toBe(1);
  });

  test.each([
    [{ colour: 16, order: 0, depth: 8, width: 4, height: 2, frames: 1 }, "unsupported", "ColorID"],
    [{ colour: 5, order: 0, depth: 8, width: 4, height: 2, frames: 1 }, "damaged", "ColorID"],
    [{ colour: 0, order: 0, depth: 20, width: 4, height: 2, frames: 1 }, "damaged", "bits a sample"],
    [{ colour: 0, order: 0, depth: 8, width: 40, height: 20, frames: 9 }, "truncated", "byte 186"],
    [{ colour: 0, order: 0, depth: 8, width: -4, height: 2, frames: 1 }, "damaged", "byte 26"],
  ])("%j is refused: %s", async (layout, reason, where) => {
    const opened = await openPicture(bytesOfArray("bad.ser", ser(layout, ramp(8, 1))));
    expect(opened).toMatchObject({ ok: false, reason: { reason, where: expect.stringContaining(where) } });
  });

  test("what is written is read again, with its times", async () => {
    const times = [Date.UTC(2026, 2, 3, 22, 0, 0), Date.UTC(2026, 2, 3, 22, 0, 0, 20)];
    const layout = {
      width: 3,
      height: 2,
      channels: 1 as const,
      cfa: "GRBG" as const,
      depth: 16 as const,
      instrument: "Simulated camera",
      telescope: "t",
      times,
    };
    const frames = [0, 1].map((k) =>
      rasterOf(3, 2, [Float32Array.from({ length: 6 }, (_, i) => (i + 10 * k) / 65535)]),
    );
    const parts = [serHeader(layout), ...frames.map((frame) => serFrame(frame, 16)), serTrailer(layout)];
    const bytes = Uint8Array.from(parts.flatMap((part) => [...part]));
    const video = valueOf(await openPicture(bytesOfArray("a.ser", bytes)));
    expect([video.timeOf(0), video.timeOf(1)]).toEqual(times);
    expect(video.metadata).toMatchObject({
      instrument: "Simulated camera",
      cfa: "GRBG",
      date: "2026-03-03T22:00:00.000",
    });
    expect((await video.frame(1).read(wholeRegion(video))).planes[0]).toEqual(frames[1].planes[0]);
    expect(() => video.frame(2)).toThrow(RangeError);
  });
});
