import { constants } from "node:fs";
import { access, mkdir, mkdtemp, open, realpath, rename, rm, stat, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { basename, dirname, join, resolve } from "node:path";
import { setTimeout as after } from "node:timers/promises";
import { UserError } from "@/core/job";
import { CREATOR } from "@/core/version";

/** Where a path leads in the end: links followed as far as they exist. */
async function realOf(path: string): Promise<string> {
  const full = resolve(path);
  try {
    return await realpath(full);
  } catch {
    const parent = dirname(full);
    return parent === full ? full : join(await realOf(parent), basename(full));
  }
}

/**
 * The one guard of every command, called with all files that it will write before any work: no output is an input (by whatever link), no two
 * are the same, none is a folder, and each folder can be written to. Folders that are missing are
 * made. `beside` are outputs whose names follow
 * from another's (halves, coverage): a picture that is there already is only replaced where it was made here.
 */
export async function checkOutputs(
  named: readonly string[],
  inputs: readonly string[],
  beside: readonly string[] = [],
): Promise<void> {
  const outputs = [...named, ...beside];
  const made = new Set<string>();
  const taken = new Map<string, string>();
  for (const input of inputs) taken.set(await realOf(input), input);
  for (const output of outputs) {
    const real = await realOf(output);
    const input = taken.get(real);
    if (input !== undefined)
      throw new UserError(
        `${output}: would take the place of ${input}, which it is made of`,
        "Choose another name or folder.",
      );
    if (made.has(real)) throw new UserError(`${output}: is to be written twice`, "Choose another name or folder.");
    made.add(real);
    const folder = dirname(real);
    try {
      await mkdir(folder, { recursive: true });
      await access(folder, constants.W_OK);
      if ((await stat(real).catch(() => null))?.isDirectory()) throw new Error("it is a folder");
    } catch (error) {
      throw unwritable(output, error);
    }
  }
  for (const output of beside)
    if (!(await isReplaceable(output)))
      throw new UserError(
        `${output}: is there already, and no picture that was made here; it would be written beside the result`,
        "Choose another name or folder for the result.",
      );
}

/** A block of a FITS header, of which that of a picture that was made here has few. */
const [BLOCK_BYTES, MOST_BLOCKS] = [2880, 40];

/** Whether a picture is not there, or says in its header that it was made here. */
async function isReplaceable(path: string): Promise<boolean> {
  const file = await open(path).catch(() => null);
  if (!file) return true;
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(MOST_BLOCKS * BLOCK_BYTES), 0);
    return buffer
      .subarray(0, bytesRead)
      .toString("latin1")
      .includes(`CREATOR = '${CREATOR.split(" ")[0]}`);
  } finally {
    await file.close();
  }
}

const unwritable = (path: string, error: unknown): UserError =>
  new UserError(
    `${path}: cannot be written (${error instanceof Error ? error.message : String(error)})`,
    "Check the folder and its free room.",
  );

const PART_BYTES = 4 * 2 ** 20;
/** A part that has not come after so long is asked for again, so many times. */
const SILENCE_MS = 20_000;
const TRIES = 3;

/** The bytes of a blob, part by part. */
export async function* partsOf(blob: Blob, silenceMs = SILENCE_MS): AsyncGenerator<Uint8Array> {
  for (let from = 0; from < blob.size; from += PART_BYTES)
    yield await partOf(() => blob.slice(from, from + PART_BYTES), silenceMs);
}

/** Node 20 was seen, once in hundreds of stacks, to wait for ever for a blob that lies in files: the file was there, and another slice of it could be read. */
async function partOf(slice: () => Blob, silenceMs: number): Promise<Uint8Array> {
  for (let tried = 1; tried <= TRIES; tried++) {
    const done = new AbortController();
    try {
      const silence = after(silenceMs, null, { signal: done.signal }).catch(() => null);
      const bytes = await Promise.race([slice().arrayBuffer(), silence]);
      if (bytes) return new Uint8Array(bytes);
    } finally {
      done.abort();
    }
  }
  throw new Error(`a part of it could not be read within ${(TRIES * silenceMs) / 1000} s`);
}

/** Files and folders that must not outlive an interrupted command. */
const temporary = new Set<string>();

/** A new folder for what is needed only while a command runs, and how to be rid of it. */
export async function temporaryFolder(): Promise<{ folder: string; remove: () => Promise<void> }> {
  const folder = await mkdtemp(join(tmpdir(), "dunkel-"));
  temporary.add(folder);
  const remove = async () => {
    await rm(folder, { recursive: true, force: true });
    temporary.delete(folder);
  };
  return { folder, remove };
}

/** Writes a file whole or not at all: beside its place, and renamed when it is complete. */
export async function writeWhole(path: string, content: Blob | Uint8Array | string): Promise<void> {
  const part = join(dirname(resolve(path)), `.${basename(path)}.${process.pid}.part`);
  temporary.add(part);
  try {
    await writeFile(part, content instanceof Blob ? partsOf(content) : content);
    await rename(part, path);
  } catch (error) {
    await rm(part, { force: true });
    throw unwritable(path, error);
  } finally {
    temporary.delete(part);
  }
}

/** Removes what is half written and what only served the work; called before an interrupted command ends. */
export async function cleanUp(): Promise<void> {
  for (const path of temporary) await rm(path, { recursive: true, force: true });
}
