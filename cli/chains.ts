import { readFileSync } from "node:fs";
import type { ChainFile } from "@/core/chain";
import { parseChain } from "@/core/chain";
import { UserError } from "@/core/job";

/** A chain from a file. UserError that names the file, what is wrong and what to do. */
export function readChain(path: string): ChainFile {
  const chain = parseChain(readJson(path));
  if (!chain.ok) throw new UserError(`${path}: ${chain.reason.message}`, chain.reason.advice);
  return chain.value;
}

function readJson(path: string): unknown {
  let text: string;
  try {
    text = readFileSync(path, "utf8");
  } catch {
    throw new UserError(`${path}: cannot be read`, "Check the path.");
  }
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new UserError(
      `${path}: is not JSON (${error instanceof Error ? error.message : error})`,
      "Export the chain again.",
    );
  }
}
