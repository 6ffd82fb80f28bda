import { channelsByFilter } from "./channels";

test.each([
  [["B", "G", "R"], { red: 2, green: 1, blue: 0, luminance: null }],
  [["blue", "L", " Red ", "Green"], { red: 2, green: 3, blue: 0, luminance: 1 }],
  // Narrow bands beside all three broad ones wait to be chosen; of two of a filter the first counts.
  [["Ha", "B", "G", "R", "R"], { red: 3, green: 2, blue: 1, luminance: null }],
  [["OIII", "H-alpha"], { red: 1, green: 0, blue: 0, luminance: null }],
  [["O III", "S II", "Hα"], { red: 1, green: 2, blue: 0, luminance: null }],
  [["Ha", "OIII", "Lum"], { red: 0, green: 1, blue: 1, luminance: 2 }],
  // Nothing told, or only one colour: in their order.
  [[null, null, "x"], { red: 0, green: 1, blue: 2, luminance: null }],
  [["constructor", "B", "G"], { red: 2, green: 1, blue: 1, luminance: null }],
  [["R", null], { red: 0, green: 1, blue: 1, luminance: null }],
])("filters %j go to their channels", (filters, expected) => {
  expect(channelsByFilter(filters)).toEqual(expected);
});
