/** Names of filters, in small letters without anything else, by what they pass: middle wavelengths in nm, common practice of the trade. */
const WAVELENGTHS = new Map(
  Object.entries({
    r: 620,
    red: 620,
    g: 530,
    green: 530,
    b: 460,
    blue: 460,
    sii: 672,
    s2: 672,
    nii: 658,
    n2: 658,
    ha: 656,
    hα: 656,
    halpha: 656,
    oiii: 501,
    o3: 501,
    hb: 486,
    hβ: 486,
  }),
);
const LUMINANCE = new Set(["l", "lum", "luminance", "clear"]);
const BROAD = [620, 530, 460];

/** Numbers of the pictures that go to each channel. */
export interface ChannelChoice {
  red: number;
  green: number;
  blue: number;
  luminance: number | null;
}

/**
 * Which of at least two pictures go to which channel, by their filters: R, G and B to their own where all three are there, else the longest wavelength to red,
 * the middle one to green and the shortest to blue; of two the shorter makes green and blue. Luminance only beside such colours. Of several
 * pictures of one filter the first counts. By their order where filters do not tell two colours.
 */
export function channelsByFilter(filters: readonly (string | null)[]): ChannelChoice {
  const names = filters.map((filter) => (filter ?? "").toLowerCase().replace(/[^\p{L}\p{N}]/gu, ""));
  const first = new Map<number, number>();
  names.forEach((name, k) => {
    const length = WAVELENGTHS.get(name);
    if (length && !first.has(length)) first.set(length, k);
  });
  const bands = [...first.keys()].sort((a, b) => b - a);
  const chosen = BROAD.every((length) => first.has(length)) ? BROAD : bands;
  const last = filters.length - 1;
  if (chosen.length < 2) return { red: 0, green: Math.min(1, last), blue: Math.min(2, last), luminance: null };
  const [long, short] = [chosen[0], chosen[chosen.length - 1]];
  const middle = chosen.length === 2 ? short : chosen[chosen.length >> 1];
  const grey = names.findIndex((name) => LUMINANCE.has(name));
  const at = (length: number) => first.get(length) ?? 0;
  return { red: at(long), green: at(middle), blue: at(short), luminance: grey < 0 ? null : grey };
}
