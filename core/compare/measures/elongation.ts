import { starShape } from "../../measure";
import type { Measure } from "./measure";

export const elongation: Measure = {
  id: "eccentricity",
  label: "Eccentricity",
  unit: "",
  group: "stars",
  definition: "Median √(1 − (short/long)²) of the fitted stars of the lane: 0 for round ones",
  better: "less",
  digits: 2,
  valueOf: ({ starsAfter }) => starShape(starsAfter).eccentricity,
};
