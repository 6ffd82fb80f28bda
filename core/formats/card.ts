export type CardValue = string | number | boolean | null;

/** One entry of a file's header, whatever the format calls it. */
export interface Card {
  keyword: string;
  value: CardValue;
  comment: string;
}
