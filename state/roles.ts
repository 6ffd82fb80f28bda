import type { Card, ProductKind } from "@/core/formats";

/** What a file is to a stack; none for one that is to be left alone. */
export const ROLES = ["mean", "a", "b", "coverage", "none"] as const;
export type Role = (typeof ROLES)[number];

/** A file that is a stack or a part of one, before it is brought in. */
export interface FoundPicture {
  name: string;
  blob: Blob;
  role: Role;
}

/** The part that a file plays by what its header says of it, and else by its name. */
export function roleOf(name: string, product: ProductKind | null, kind: string | null): Role {
  const bare = stemOf(name).toLowerCase();
  const letter = /\b(?:half )?([ab])$/i.exec(kind?.trim() ?? "") ?? /(?:half)?[ ._-]([ab])$/.exec(bare);
  if (/\brejected\b/i.test(`${kind} ${bare}`)) return "none";
  if (product === "coverage" || (product === null && /[ ._-]coverage$/.test(bare))) return "coverage";
  if (product === "half" || (product === null && letter)) return letter?.[1].toLowerCase() === "b" ? "b" : "a";
  return product === "treated" ? "none" : "mean";
}

/** A file's name without its ending. */
export const stemOf = (name: string): string => name.replace(/\.[^.]+$/, "");

/** What a header says in words that the picture is. */
export function kindOf(cards: readonly Card[]): string | null {
  const value = cards.find(({ keyword }) => keyword === "IMAGETYP")?.value;
  return value === undefined || value === null ? null : String(value);
}
