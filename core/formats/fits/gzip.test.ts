import { gzipSync } from "fflate";
import { otherFits } from "../../testing/otherFits";
import { bytesOfArray } from "../bytes";
import { openPicture, valueOf } from "../index";
import { gunzipImage } from "./gzip";

/** Packed files that claim, or grow to, more than they may. */
const small = otherFits(
  40,
  30,
  16,
  Float32Array.from({ length: 1200 }, (_, i) => i),
);

test("what lies behind the first image is not unpacked: 60 MB of zeros from 60 kB give the image alone", async () => {
  const bomb = new Uint8Array(small.length + 60_000_000);
  bomb.set(small);
  const packed = gzipSync(bomb);
  expect(packed.length).toBeLessThan(200_000);
  const unpacked = await gunzipImage(bytesOfArray("bomb.fits.gz", packed));
  expect(unpacked.size).toBe(small.length);
});

test("a header that claims more than the packed bytes can hold allocates nothing and is refused by its cards", async () => {
  const text = new TextDecoder("latin1")
    .decode(small)
    .replace("NAXIS1  =                   40", "NAXIS1  =              4000000");
  const liar = gzipSync(Uint8Array.from(text, (letter) => letter.charCodeAt(0)));
  const before = process.memoryUsage().arrayBuffers;
  await expect(gunzipImage(bytesOfArray("liar.fits.gz", liar))).rejects.toThrow(/NAXISn/);
  expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(50e6);
});

test("an honest one is read", async () => {
  const file = valueOf(await openPicture(bytesOfArray("a.fits.gz", gzipSync(small))));
  expect([file.width, file.height]).toEqual([40, 30]);
});

test("400 MB of nothing in as few bytes as deflate needs are refused by the header, before any of it is unpacked", async () => {
  const text = new TextDecoder("latin1")
    .decode(small.subarray(0, 2880))
    .replace("NAXIS1  =                   40", "NAXIS1  =                20000")
    .replace("NAXIS2  =                   30", "NAXIS2  =                10000");
  const nothing = new Uint8Array(2880 + 40e6);
  nothing.set(Uint8Array.from(text, (letter) => letter.charCodeAt(0)));
  // So many packed bytes could hold all that the header claims.
  const bomb = new Uint8Array(400_000);
  bomb.set(gzipSync(nothing));
  const before = process.memoryUsage().arrayBuffers;
  await expect(gunzipImage(bytesOfArray("nothing.fits.gz", bomb))).rejects.toThrow(/NAXISn/);
  expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(100e6);
});
