import type { StarStanding } from "../evidence";
import type { Measure } from "./measure";

/** How many stars of the lane stand so with the data. */
const starsOf = (standing: StarStanding, label: string, definition: string, better: Measure["better"]): Measure => ({
  id: `stars.${standing}`,
  label,
  unit: "",
  group: "stars",
  definition,
  better,
  digits: 0,
  valueOf: ({ evidence }) => evidence && evidence.stars.filter((star) => star.standing === standing).length,
});

export const starsKept = starsOf(
  "kept",
  "Stars in the data",
  "Stars of the lane that stand 4 σ and more in the stack and 1.5 σ and more in each half",
  "more",
);
export const starsInvented = starsOf(
  "notInData",
  "Stars not in the data",
  "Stars of the lane where the stack shows less than 3 σ, and the lane 3.5 σ more",
  "less",
);
export const starsLost = starsOf(
  "lost",
  "Stars lost",
  "Stars of 5 σ and more in the stack and both halves, of which the lane shows less than half",
  "less",
);
