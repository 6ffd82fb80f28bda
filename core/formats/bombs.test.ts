import { readFileSync, readdirSync } from "node:fs";
import { join } from "node:path";
import { deflateSync, crc32 } from "node:zlib";
import { wholeRegion } from "../raster";
import { bytesOfArray } from "./bytes";
import { FormatError } from "./problem";
import { openPicture } from "./registry";

/** Small files that claim or hold much, and headers whose cards cannot be: each ends in a FormatError, soon and without much memory. */
const folder = join(__dirname, "../../reference/fixtures/formats");

/** How a file ends: read, or refused; anything else throws. */
async function endOf(name: string, bytes: Uint8Array): Promise<"read" | FormatError> {
  try {
    const opened = await openPicture(bytesOfArray(name, bytes));
    if (!opened.ok) throw opened.reason;
    await opened.value.frame(0).read(wholeRegion(opened.value));
    return "read";
  } catch (error) {
    if (error instanceof FormatError) return error;
    throw new Error(`${name}: ${String(error)}`, { cause: error });
  }
}

test("a compressed FITS file in which any one card is impossible is read or refused with its name and what to do", async () => {
  const values = ["0", "-1", "1", "1000000000", "0.5", "1E300", "'text'", "T", ""];
  for (const name of readdirSync(folder).filter((file) => /^(rice_1_i16|gzip_2_dither1)\.fits$/.test(file))) {
    const whole = new Uint8Array(readFileSync(join(folder, name)));
    const text = Buffer.from(whole).toString("latin1");
    for (let at = 0; at < Math.min(text.length, 11520); at += 80) {
      const keyword = text.slice(at, at + 8).trim();
      if (!/^[A-Z][A-Z0-9]+$/.test(keyword) || text.slice(at + 8, at + 10) !== "= ") continue;
      for (const value of values) {
        const bytes = whole.slice();
        bytes.set(Buffer.from(`${keyword.padEnd(8)}= ${value.padStart(20)}`.padEnd(80)), at);
        const end = await endOf(`${name} with ${keyword} = ${value}`, bytes);
        if (end !== "read") expect(end.advice.length).toBeGreaterThan(10);
      }
    }
  }
});

function chunk(kind: string, data: Uint8Array): Buffer {
  const body = Buffer.concat([Buffer.from(kind, "latin1"), data]);
  const out = Buffer.alloc(body.length + 8);
  out.writeUInt32BE(data.length, 0);
  body.copy(out, 4);
  out.writeUInt32BE(crc32(body), body.length + 4);
  return out;
}

function png(width: number, height: number, data: Uint8Array, extra: Buffer[] = []): Uint8Array {
  const head = Buffer.alloc(13);
  head.writeUInt32BE(width, 0);
  head.writeUInt32BE(height, 4);
  head[8] = 8;
  const signature = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]);
  return Buffer.concat([
    ...[signature, chunk("IHDR", head), ...extra],
    ...[chunk("IDAT", data), chunk("IEND", Buffer.alloc(0))],
  ]);
}

/** The most memory in use while work runs, over that before it. */
async function memoryOf(work: () => Promise<unknown>): Promise<number> {
  const before = process.memoryUsage().rss;
  let most = before;
  const timer = setInterval(() => (most = Math.max(most, process.memoryUsage().rss)), 5);
  await work();
  clearInterval(timer);
  return Math.max(most, process.memoryUsage().rss) - before;
}

const MB = 2 ** 20;

test("a PNG of half a megabyte that unpacks to gigabytes is refused without them, in its data and in a side chunk", async () => {
  const zeros = deflateSync(Buffer.alloc(500 * MB), { level: 9 });
  expect(zeros.length).toBeLessThan(MB);
  let end: Awaited<ReturnType<typeof endOf>> = "read";
  const used = await memoryOf(async () => (end = await endOf("bomb.png", png(20000, 25000, zeros))));
  expect(end).toBeInstanceOf(FormatError);
  expect(used).toBeLessThan(200 * MB);
  // A small picture with a large compressed text beside it: the text is not even looked at.
  const small = deflateSync(Buffer.alloc(5 * 4));
  const text = chunk("zTXt", Buffer.concat([Buffer.from("Comment\0\0", "latin1"), zeros]));
  const beside = await memoryOf(
    async () => (end = await endOf("beside.png", png(4, 4, deflateSync(Buffer.alloc(20)), [text]))),
  );
  expect(end).toBe("read");
  expect(beside).toBeLessThan(100 * MB);
  expect(await endOf("short.png", png(4, 5, small))).toBeInstanceOf(FormatError);
});

test("a TIFF whose strips lie over one another holds no more than its bytes", async () => {
  const strips = 2000;
  const data = deflateSync(Buffer.alloc(8000 * 64), { level: 9 });
  const entries: [number, number, number, number][] = [];
  const start = 8 + data.length;
  const offsets = start;
  const sizes = offsets + 4 * strips;
  const directory = sizes + 4 * strips;
  const add = (tag: number, type: number, count: number, value: number) => entries.push([tag, type, count, value]);
  add(256, 4, 1, 8000);
  add(257, 4, 1, 64 * strips);
  add(258, 3, 1, 8);
  add(259, 3, 1, 8);
  add(262, 3, 1, 1);
  add(273, 4, strips, offsets);
  add(277, 3, 1, 1);
  add(278, 4, 1, 64);
  add(279, 4, strips, sizes);
  const out = Buffer.alloc(directory + 2 + 12 * entries.length + 4);
  out.write("II", 0, "latin1");
  out.writeUInt16LE(42, 2);
  out.writeUInt32LE(directory, 4);
  Buffer.from(data).copy(out, 8);
  for (let i = 0; i < strips; i++) {
    out.writeUInt32LE(8, offsets + 4 * i);
    out.writeUInt32LE(data.length, sizes + 4 * i);
  }
  out.writeUInt16LE(entries.length, directory);
  entries.forEach(([tag, type, count, value], i) => {
    const at = directory + 2 + 12 * i;
    out.writeUInt16LE(tag, at);
    out.writeUInt16LE(type, at + 2);
    out.writeUInt32LE(count, at + 4);
    if (type === 3 && count === 1) out.writeUInt16LE(value, at + 8);
    else out.writeUInt32LE(value, at + 8);
  });
  expect(await endOf("overlap.tif", out)).toBeInstanceOf(FormatError);
});

test("an AVI full of zeros, and one of lists within lists, end in a time that grows with their bytes only", async () => {
  const list = (kind: string, name: string, size: number) => {
    const head = Buffer.alloc(12);
    head.write(kind, 0, "latin1");
    head.writeUInt32LE(size, 4);
    head.write(name, 8, "latin1");
    return head;
  };
  let reads = 0;
  const counted = async (name: string, bytes: Uint8Array) => {
    reads = 0;
    const source = bytesOfArray(name, bytes);
    const opened = await openPicture({ ...source, read: (at, n) => (reads++, source.read(at, n)) });
    expect(opened.ok).toBe(false);
    return reads;
  };
  const zeros = Buffer.concat([list("RIFF", "AVI ", 8 * MB), Buffer.alloc(8 * MB)]);
  expect(await counted("zeros.avi", zeros)).toBeLessThan(1000);
  // 2000 lists, each claiming all that follows: read once, not once for each that holds it.
  const nested: Buffer[] = [list("RIFF", "AVI ", 0)];
  const total = 12 + 12 * 2000;
  nested[0].writeUInt32LE(total - 8, 4);
  for (let i = 0; i < 2000; i++) nested.push(list("LIST", "movi", total - 12 * (i + 2) + 4));
  expect(await counted("nested.avi", Buffer.concat(nested))).toBeLessThan(10_000);
});
