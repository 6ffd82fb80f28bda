import type { Card, CardValue } from "../card";
import { FormatError } from "../problem";

/** FITS Standard 4.0, 3.1: files are made of blocks of 2880 bytes; 4.1: cards of 80 characters. */
export const BLOCK = 2880;
export const CARD = 80;

/** The cards of one header in file order, and look-up by keyword (the first card counts). */
export interface FitsHeader {
  cards: Card[];
  get(keyword: string): CardValue | undefined;
  /** A numeric card; undefined where it is missing. Throws FormatError where it is not a number. */
  number(keyword: string): number | undefined;
  text(keyword: string): string | undefined;
  history: string[];
}

export function headerOf(file: string, cards: Card[]): FitsHeader {
  const byKeyword = new Map<string, CardValue>();
  for (const card of cards) if (!byKeyword.has(card.keyword)) byKeyword.set(card.keyword, card.value);
  return {
    cards,
    get: (keyword) => byKeyword.get(keyword),
    number: (keyword) => {
      const value = byKeyword.get(keyword);
      if (value === undefined || value === null) return undefined;
      if (typeof value !== "number" || !Number.isFinite(value))
        throw new FormatError(
          file,
          "damaged",
          `card ${keyword}`,
          "a number",
          JSON.stringify(value),
          "Write the file again with a valid value in this card.",
        );
      return value;
    },
    text: (keyword) => {
      const value = byKeyword.get(keyword);
      return typeof value === "string" ? value.trimEnd() : undefined;
    },
    history: cards.filter((card) => card.keyword === "HISTORY").map((card) => card.comment),
  };
}

/**
 * One 80-character card. HIERARCH cards take the words before "=" as their keyword; a CONTINUE card has the string that it
 * carries on as its value. Source: FITS Standard 4.0, 4.1 and 4.2 (fixed and free format values); HIERARCH: registered convention.
 */
export function parseCard(text: string): Card {
  const keyword = text.slice(0, 8).trimEnd();
  if (keyword === "HIERARCH") {
    const equals = text.indexOf("=");
    if (equals > 9)
      return { ...parseCard(`VALUE   = ${text.slice(equals + 1).trimStart()}`), keyword: text.slice(9, equals).trim() };
  }
  if (keyword === "CONTINUE") return { ...parseCard(`VALUE   = ${text.slice(8).trimStart()}`), keyword };
  if (text.slice(8, 10) !== "= ") return { keyword, value: null, comment: text.slice(8).trimEnd() };
  const body = text.slice(10);
  const string = /^\s*'((?:[^']|'')*)'\s*(?:\/(.*))?$/.exec(body.trimEnd());
  if (string) return { keyword, value: string[1].replace(/''/g, "'").trimEnd(), comment: (string[2] ?? "").trim() };
  const slash = body.indexOf("/");
  const raw = (slash < 0 ? body : body.slice(0, slash)).trim();
  const comment = slash < 0 ? "" : body.slice(slash + 1).trim();
  if (raw === "T") return { keyword, value: true, comment };
  if (raw === "F") return { keyword, value: false, comment };
  if (raw === "") return { keyword, value: null, comment };
  if (/^[+-]?(\d+\.?\d*|\.\d+)([EeDd][+-]?\d+)?$/.test(raw))
    return { keyword, value: Number(raw.replace(/[dD]/, "E")), comment };
  return { keyword, value: raw, comment };
}

/** Joins strings that end in "&" with the CONTINUE cards after them (FITS Standard 4.0, 4.2.1.2). */
export function foldCards(cards: Card[]): Card[] {
  const out: Card[] = [];
  for (const card of cards) {
    const before = out[out.length - 1];
    if (
      card.keyword === "CONTINUE" &&
      typeof card.value === "string" &&
      typeof before?.value === "string" &&
      before.value.endsWith("&")
    )
      out[out.length - 1] = {
        ...before,
        value: before.value.slice(0, -1) + card.value,
        comment: [before.comment, card.comment].filter(Boolean).join(" "),
      };
    else out.push(card);
  }
  return out;
}

/** Cards of a block of header bytes up to END; `ended` says whether END was there, `used` the bytes up to and with it. */
export function parseCards(bytes: Uint8Array): { cards: Card[]; ended: boolean; used: number } {
  const cards: Card[] = [];
  for (let at = 0; at + CARD <= bytes.length; at += CARD) {
    const text = String.fromCharCode(...bytes.subarray(at, at + CARD));
    if (text.slice(0, 8) === "END     ") return { cards, ended: true, used: at + CARD };
    const card = parseCard(text);
    if (card.keyword !== "" || card.comment !== "") cards.push(card);
  }
  return { cards, ended: false, used: bytes.length };
}

/** A value card; numbers and logicals end in column 30, strings start in column 11 (fixed format, 4.2). */
export function formatCard(keyword: string, value: string | number | boolean, comment = ""): string {
  let field: string;
  if (typeof value === "string") field = `'${asciiOnly(value).replace(/'/g, "''").padEnd(8)}'`.padEnd(20);
  else if (typeof value === "boolean") field = (value ? "T" : "F").padStart(20);
  else field = formatNumber(value).padStart(20);
  const card = `${keyword.padEnd(8)}= ${field}${comment ? ` / ${asciiOnly(comment)}` : ""}`;
  if (typeof value === "string" && 10 + field.length > CARD)
    throw new RangeError(`the value of card ${keyword} must fit into 68 characters`);
  return card.slice(0, CARD).padEnd(CARD);
}

/** Characters of a string that a card holds, and of one that goes on in the next (with its "&"). */
const STRING_ROOM = 68;
const PART_ROOM = 67;

/**
 * A value as one card or, for long strings, as a card and CONTINUE cards; keywords of several words as HIERARCH, where they fit (else
 * none). Source: FITS Standard 4.0, 4.2.1.2; HIERARCH: registered convention.
 */
export function cardLines(keyword: string, value: string | number | boolean, comment = ""): string[] {
  if (keyword.length > 8 || keyword.includes(" ")) {
    const [, field] = formatCard("VALUE", typeof value === "string" ? value.slice(0, 30) : value).split("= ");
    const line = `HIERARCH ${keyword} = ${field.trim()}`;
    return line.length <= CARD ? [line.padEnd(CARD)] : [];
  }
  if (typeof value !== "string") return [formatCard(keyword, value, comment)];
  const text = asciiOnly(value).replace(/'/g, "''");
  if (text.length <= STRING_ROOM) return [formatCard(keyword, value, comment)];
  const parts: string[] = [];
  for (let at = 0; at < text.length;) {
    let end = Math.min(text.length, at + PART_ROOM);
    // A doubled quote is not torn apart.
    const quotes = /'*$/.exec(text.slice(at, end))?.[0].length ?? 0;
    if (end < text.length && quotes % 2 === 1) end--;
    parts.push(text.slice(at, end));
    at = end;
  }
  return parts.map((part, i) => {
    const more = i < parts.length - 1 ? "&" : "";
    return `${i === 0 ? `${keyword.padEnd(8)}= ` : "CONTINUE  "}'${part}${more}'`.padEnd(CARD);
  });
}

function formatNumber(value: number): string {
  if (!Number.isFinite(value)) throw new RangeError("a FITS card cannot hold NaN or infinity");
  if (Number.isInteger(value) && Math.abs(value) < 1e15) return String(value);
  const text = String(value).toUpperCase();
  return text.includes(".") || !text.includes("E") ? text : text.replace("E", ".0E");
}

/** Long text as HISTORY cards of up to 72 characters each. */
export function historyCards(text: string): string[] {
  const ascii = asciiOnly(text);
  const cards: string[] = [];
  for (let at = 0; at === 0 || at < ascii.length; at += 72)
    cards.push(`HISTORY ${ascii.slice(at, at + 72)}`.padEnd(CARD));
  return cards;
}

function asciiOnly(text: string): string {
  return text.replace(/[^\x20-\x7e]/g, (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, "0")}`);
}
