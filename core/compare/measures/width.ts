import { starShape } from "../../measure";
import type { Measure } from "./measure";

export const width: Measure = {
  id: "fwhm",
  label: "FWHM",
  unit: "px",
  group: "stars",
  definition: "Median full width at half maximum of Moffat profiles that are fitted to the stars of the lane",
  better: "less",
  digits: 2,
  valueOf: ({ starsAfter }) => starShape(starsAfter).fwhmPx,
};
